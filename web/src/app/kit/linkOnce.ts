import { ChangeDetectionStrategy, Component, input, signal } from '@angular/core';
import { Button } from 'primeng/button';

/** A link that is shown once, to be handed on; what is said of it stands above. */
@Component({
  selector: 'kc-link-once',
  imports: [Button],
  template: `
    <div class="link panel" role="status">
      <p><ng-content /></p>
      <div class="row">
        <input readonly [value]="address()" aria-label="Link" i18n-aria-label (focus)="all($event)" />
        <p-button severity="secondary" [outlined]="true" [label]="copied() ? labels.copied : labels.copy" (onClick)="copy()" />
      </div>
    </div>
  `,
  styles: `
    .link {
      padding: 12px 14px;
      margin: 12px 0;
      border-left: 3px solid var(--brass);
    }
    p {
      margin: 0 0 8px;
    }
    .row {
      display: flex;
      gap: 8px;
    }
    input {
      flex: 1;
      min-width: 0;
      font-family: var(--mono);
      font-size: 12px;
      padding: 6px 8px;
      border: 1px solid var(--line);
      background: var(--surface);
      color: var(--ink);
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class LinkOnce {
  protected readonly labels = { copy: $localize`Copy`, copied: $localize`Copied` };
  readonly address = input.required<string>();
  protected readonly copied = signal(false);

  protected all(event: FocusEvent): void {
    (event.target as HTMLInputElement).select();
  }

  protected copy(): void {
    // Without TLS a browser has no clipboard for pages: the field can be copied from by hand.
    void navigator.clipboard?.writeText(this.address()).then(() => this.copied.set(true));
  }
}

import { ChangeDetectionStrategy, Component, computed, input, signal } from '@angular/core';
import type { Invitation } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { InstantPipe } from '../kit/words';

/** A link to choose a password, to be handed on. It is shown once. */
@Component({
  selector: 'kc-invitation-link',
  imports: [Button, InstantPipe],
  template: `
    <div class="link panel" role="status">
      <p i18n>
        Hand this link to {{ name() }}. Whoever opens it chooses the password. It works once, until {{ invitation().until | instant }}, and
        is shown only now.
      </p>
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
export class InvitationLink {
  protected readonly labels = { copy: $localize`Copy`, copied: $localize`Copied` };
  readonly invitation = input.required<Invitation>();
  readonly name = input.required<string>();
  /** Behind the hash it is sent to no server. */
  protected readonly address = computed(() => `${location.origin}/welcome#${this.invitation().token}`);
  protected readonly copied = signal(false);

  protected all(event: FocusEvent): void {
    (event.target as HTMLInputElement).select();
  }

  protected copy(): void {
    // Without TLS a browser has no clipboard for pages: the field can be copied from by hand.
    void navigator.clipboard?.writeText(this.address()).then(() => this.copied.set(true));
  }
}

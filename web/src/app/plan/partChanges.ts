import { ChangeDetectionStrategy, Component, input } from '@angular/core';

/** What a folder says otherwise: each thing from what to what. */
@Component({
  selector: 'kc-part-changes',
  template: `
    @for (change of changes(); track $index; let i = $index) {
      <p>
        @if (change.code && change.code !== changes()[i - 1]?.code) {
          <code>{{ change.code }}</code>
        }
        <b>{{ change.what }}</b>
        @if (change.before !== null || change.after !== null) {
          <span class="before">{{ change.before }}</span>
          <span class="arrow" aria-hidden="true">→</span><span class="sr" i18n>becomes</span>
          <span class="after">{{ change.after }}</span>
        }
      </p>
    }
  `,
  styles: `
    p {
      display: flex;
      flex-wrap: wrap;
      gap: 0 8px;
      align-items: baseline;
      border-inline-start: 3px solid var(--brass);
      padding-inline-start: 8px;
      margin-top: 2px;
    }
    b {
      font-weight: 600;
    }
    .before {
      color: var(--ink-2);
    }
    .before,
    .after {
      overflow-wrap: anywhere;
      white-space: pre-line;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class PartChanges {
  readonly changes =
    input.required<
      readonly { readonly code?: string; readonly what: string; readonly before: string | null; readonly after: string | null }[]
    >();
}

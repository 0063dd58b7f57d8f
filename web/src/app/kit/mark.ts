import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import { Tooltip } from 'primeng/tooltip';

export const markKinds = ['declared', 'held', 'due', 'waiting', 'permanent', 'unscheduled', 'physical', 'disposed', 'gap', 'kept'] as const;
export type MarkKind = (typeof markKinds)[number];

const words: Record<MarkKind, string> = {
  declared: $localize`declared`,
  held: $localize`held`,
  due: $localize`due`,
  waiting: $localize`waiting for its date`,
  permanent: $localize`kept for good`,
  unscheduled: $localize`no rule`,
  physical: $localize`on a shelf`,
  disposed: $localize`disposed`,
  gap: $localize`facts missing`,
  kept: $localize`kept`,
};

/** A state of a record as a shape with its word; never by colour alone. */
@Component({
  selector: 'kc-mark',
  imports: [Tooltip],
  template: `
    <svg viewBox="0 0 16 16" width="16" height="16" aria-hidden="true" [pTooltip]="showWord() ? '' : word()" tooltipPosition="top">
      @switch (kind()) {
        @case ('declared') {
          <circle cx="8" cy="8" r="7" fill="var(--mark-declared)" />
          <path d="M8 3.9a2.3 2.3 0 0 1 1.2 4.26L10 12.1H6l.8-3.94A2.3 2.3 0 0 1 8 3.9z" fill="var(--surface)" />
        }
        @case ('held') {
          <rect x="0.9" y="5" width="8.6" height="6" rx="3" fill="none" stroke="var(--plum)" stroke-width="1.8" />
          <rect x="6.5" y="5" width="8.6" height="6" rx="3" fill="none" stroke="var(--plum)" stroke-width="1.8" />
        }
        @case ('due') {
          <path d="M8 1.6L14.4 8 8 14.4 1.6 8z" fill="var(--madder)" />
        }
        @case ('waiting') {
          <circle cx="8" cy="8" r="5.6" fill="none" stroke="var(--ash)" stroke-width="1.8" stroke-dasharray="2.6 1.8" />
        }
        @case ('permanent') {
          <rect x="2.5" y="2.5" width="11" height="11" fill="var(--slate)" />
        }
        @case ('unscheduled') {
          <path d="M8 2.4L14 13.2H2z" fill="none" stroke="var(--ink)" stroke-width="1.6" stroke-linejoin="round" />
        }
        @case ('physical') {
          <path d="M2 6.2h12v8H2zM3.4 2.4h9.2L14 6.2H2z" fill="none" stroke="var(--ink)" stroke-width="1.4" stroke-linejoin="round" />
        }
        @case ('disposed') {
          <rect x="1.5" y="6" width="13" height="4" fill="none" stroke="var(--ash)" stroke-width="1.4" />
          <path d="M3.5 13L12.5 3" stroke="var(--ash)" stroke-width="1.6" />
        }
        @case ('gap') {
          <path d="M2 4h5M2 8h3M2 12h5M10 4h4M11 8h3M10 12h4" stroke="var(--ink)" stroke-width="1.7" />
        }
        @case ('kept') {
          <rect x="1.5" y="6" width="13" height="4" fill="var(--kept-strong)" />
        }
      }
    </svg>
    @if (showWord()) {
      <span>{{ label() || word() }}</span>
    } @else {
      <span class="sr">{{ label() || word() }}</span>
    }
  `,
  styles: `
    :host {
      display: inline-flex;
      align-items: center;
      gap: 5px;
      vertical-align: -3px;
      --mark-declared: light-dark(#143d33, #7fb09a);
    }
    svg {
      flex: none;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class Mark {
  readonly kind = input.required<MarkKind>();
  /** Shows the word beside the shape. */
  readonly showWord = input(false);
  /** Words instead of the usual one. */
  readonly label = input('');
  protected readonly word = computed(() => words[this.kind()]);
}

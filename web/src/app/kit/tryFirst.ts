import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import { Button } from 'primeng/button';
import { AccessShiftWords } from './accessShift';
import { LongTextField } from './longTextField';
import { ProblemNotice } from './notice';
import type { Trying } from './trying';

/** The end of a form for what is tried first: the reason, what would come of it, and the button that shows it and then does it. */
@Component({
  selector: 'kc-try-first',
  imports: [AccessShiftWords, Button, LongTextField, ProblemNotice],
  template: `
    @if (reasonField(); as field) {
      <kc-long-text-field
        [field]="field"
        label="Reason"
        i18n-label
        [needed]="true"
        [rows]="2"
        [maxlength]="2000"
        [value]="what().reason()"
        (valueChange)="what().reason.set($event)"
      />
    }
    @if (refused().length; as n) {
      <p class="madder" i18n>
        {n, plural, =1 {One record is left as it is} other {{{ n }} records are left as they are}}: {{ refused()[0]!.why }}
      </p>
    }
    <kc-access-shift [shift]="what().seen()?.access ?? null" />
    <kc-problem [problem]="what().doing.problem()" />
    <p-button
      type="submit"
      [disabled]="what().doing.busy() || !ready() || !reasoned()"
      [label]="first() && what().seen() === null ? look : label()"
    />
  `,
  styles: `
    :host {
      display: contents;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class TryFirst {
  protected readonly look = $localize`See the effect`;
  readonly what = input.required<Trying>();
  /** Id of the field for the reason; null where none is asked for. */
  readonly reasonField = input<string | null>(null);
  /** Whether everything else that is needed is said. */
  readonly ready = input(true);
  /** Whether there is something to be seen first. */
  readonly first = input(true);
  /** What the button says that does it. */
  readonly label = input.required<string>();
  protected readonly reasoned = computed(() => this.reasonField() === null || this.what().reason().trim().length >= 3);
  /** Of many, those that would be left as they are. */
  protected readonly refused = computed(() => (this.what().seen()?.results ?? []).filter((r) => r.outcome === 'refused'));
}

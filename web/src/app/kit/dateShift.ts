import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import type { DateShift } from '@key-cellar/contract';
import { CountPipe, countWords } from './words';

/** How due dates move, in one sentence. */
@Component({
  selector: 'kc-date-shift',
  imports: [CountPipe],
  template: `
    @if (shift(); as s) {
      @if (moved() === 0) {
        <p i18n>No due date moves.</p>
      } @else {
        <p>
          <ng-container i18n>Due dates move: {{ parts().join(', ') }}.</ng-container>
          @if (s.looked < s.of) {
            <ng-container i18n>The first {{ s.looked | count }} of {{ s.of | count }} records were looked at.</ng-container>
          }
        </p>
      }
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class DateShiftWords {
  readonly shift = input.required<DateShift | null>();
  protected readonly moved = computed(() => {
    const s = this.shift();
    return s ? s.earlier + s.later + s.first + s.none : 0;
  });
  protected readonly parts = computed(() => {
    const s = this.shift()!;
    const said = (n: number, words: (n: string) => string): string[] => (n > 0 ? [words(countWords(n))] : []);
    return [
      ...said(s.earlier, (n) => $localize`${n}:count: earlier`),
      ...said(s.later, (n) => $localize`${n}:count: later`),
      ...said(s.first, (n) => $localize`${n}:count: get a first date`),
      ...said(s.none, (n) => $localize`${n}:count: lose their date`),
    ];
  });
}

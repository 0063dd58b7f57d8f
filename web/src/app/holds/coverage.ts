import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import { area, curveStepAfter, max, scaleLinear, scalePoint } from 'd3';
import { monthWords } from '../kit/words';

/** How many records a hold covered at the end of each month. */
@Component({
  selector: 'kc-coverage',
  template: `
    @let p = picture();
    <svg role="img" [attr.aria-label]="p.words" viewBox="0 0 300 96" width="100%" height="96">
      <path [attr.d]="p.path" />
      <line x1="0" x2="300" y1="78" y2="78" />
      <text x="0" y="92">{{ p.first }}</text>
      <text x="300" y="92" text-anchor="end">{{ p.last }}</text>
      <text x="300" y="11" text-anchor="end" class="n">{{ p.now }}</text>
    </svg>
  `,
  styles: `
    path {
      fill: var(--plum-wash);
      stroke: var(--plum);
      stroke-width: 1.4;
    }
    line {
      stroke: var(--ink-2);
    }
    text {
      font-size: 12px;
      fill: var(--ink-2);
    }
    .n {
      fill: var(--plum);
      font-weight: 600;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class Coverage {
  readonly months = input.required<readonly { month: string; covered: number }[]>();
  protected readonly picture = computed(() => {
    // The last month again, so that a step has its breadth.
    const months = [
      ...this.months(),
      ...this.months()
        .slice(-1)
        .map((m) => ({ ...m, month: `${m.month}+` })),
    ];
    const x = scalePoint(
      months.map((m) => m.month),
      [0, 300],
    );
    const y = scaleLinear([0, max(months, (m) => m.covered) || 1], [78, 16]);
    const shape = area<{ month: string; covered: number }>(
      (m) => x(m.month) ?? 0,
      78,
      (m) => y(m.covered),
    ).curve(curveStepAfter);
    const first = this.months()[0];
    const last = this.months().at(-1);
    return {
      path: shape(months) ?? '',
      first: first ? monthWords(first.month) : '',
      last: last ? monthWords(last.month) : '',
      now: last?.covered ?? 0,
      words:
        first && last
          ? $localize`${first.covered}:from: records in ${monthWords(first.month)}:first:, ${last.covered}:to: in ${monthWords(last.month)}:last:`
          : $localize`nothing covered yet`,
    };
  });
}

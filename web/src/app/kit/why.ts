import { ChangeDetectionStrategy, Component, input } from '@angular/core';
import { RouterLink } from '@angular/router';
import type { Explanation } from '@key-cellar/core/schedule';
import { Mark } from './mark';
import { DatedPipe, DayPipe } from './words';

/** Why this date: the core's explanation, line by line. Computes nothing of its own. */
@Component({
  selector: 'kc-why',
  imports: [DatedPipe, DayPipe, Mark, RouterLink],
  templateUrl: './why.html',
  styles: `
    .summary {
      font-weight: 600;
      margin-bottom: 8px;
    }
    li {
      display: grid;
      grid-template-columns: 24px 1fr;
      padding: 7px 0;
      border-bottom: 1px dashed var(--line);
    }
    li:last-child {
      border-bottom: 0;
    }
    .sign {
      color: var(--ink-2);
      font-weight: 700;
    }
    .more {
      color: var(--ink-2);
      font-size: 12.5px;
      line-height: 17px;
    }
    .yielded {
      color: var(--ink-2);
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class Why {
  readonly why = input.required<Explanation>();
}

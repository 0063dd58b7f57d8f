import { ChangeDetectionStrategy, Component, input } from '@angular/core';
import { RouterLink } from '@angular/router';
import type { Explanation } from '@key-cellar/core/schedule';
import type { Spoken } from '@key-cellar/words/spoken';
import { Mark } from './mark';
import { DayPipe } from './words';

/** Why this date: the core's explanation, line by line. Computes nothing of its own. */
@Component({
  selector: 'kc-why',
  imports: [DayPipe, Mark, RouterLink],
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
    /* Steps are words of a sentence elsewhere; here each begins a line. */
    li > div::first-letter {
      text-transform: uppercase;
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
  readonly why = input.required<Spoken<Explanation>>();
}

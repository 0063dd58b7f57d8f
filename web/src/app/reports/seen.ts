import { ChangeDetectionStrategy, Component, input } from '@angular/core';
import { RouterLink } from '@angular/router';
import type { RecordSeen } from '@key-cellar/contract';
import { Mark } from '../kit/mark';
import { DayPipe, InstantPipe } from '../kit/words';

/** Records that a person had to do with, the last first; as content, what to say when there are none. */
@Component({
  selector: 'kc-seen',
  imports: [DayPipe, InstantPipe, Mark, RouterLink],
  template: `
    <ul>
      @for (record of records(); track record.id) {
        <li>
          <span>
            @if (record.state !== 'working') {
              <kc-mark [kind]="record.state" />
            }
          </span>
          <a [routerLink]="['/records', record.id]" class="clip">{{ record.title }}</a>
          <code>{{ record.number }}</code>
          <span class="quiet small">{{ record.at.length > 10 ? (record.at | instant) : (record.at | day) }}</span>
        </li>
      } @empty {
        <li class="none quiet"><ng-content /></li>
      }
    </ul>
  `,
  styles: `
    li {
      display: grid;
      grid-template-columns: 24px minmax(0, 1fr) 170px 130px;
      gap: 8px;
      align-items: center;
      min-height: 32px;
      border-bottom: 1px solid var(--line);
    }
    li.none {
      display: block;
      padding: 6px 0;
      border-bottom: 0;
    }
    .small {
      text-align: end;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class Seen {
  readonly records = input.required<readonly RecordSeen[]>();
}

import { ChangeDetectionStrategy, Component, input } from '@angular/core';
import { RouterLink } from '@angular/router';
import type { FixityState } from '@key-cellar/contract';
import { BytesPipe, CountPipe, InstantPipe } from '../kit/words';

type Holder = FixityState['damaged'][number]['holders'][number];
const areas: Record<Holder['kind'], string> = { record: '/records', batch: '/docket', arrival: '/receiving' };

/** Contents that are damaged: set apart, with what has them and what mends them. */
@Component({
  selector: 'kc-damaged',
  imports: [BytesPipe, CountPipe, InstantPipe, RouterLink],
  template: `
    <section class="panel" aria-labelledby="damaged-title">
      <h2 id="damaged-title" i18n>Damaged and quarantined</h2>
      <p class="small" i18n>
        Damaged content is not handed out. Bringing the same file to Receiving again repairs it; an administrator can also restore it from a
        backup. Until then it is neither transferred nor checked.
      </p>
      <table>
        <thead>
          <tr>
            <th i18n>had by</th>
            <th class="num" i18n>size</th>
            <th i18n>found</th>
            <th i18n>fingerprint, SHA-256</th>
          </tr>
        </thead>
        <tbody>
          @for (d of state().damaged; track d.contentId) {
            <tr>
              <td>
                @for (holder of d.holders; track holder.id) {
                  <a [routerLink]="link(holder)">{{ holder.name }}</a>
                } @empty {
                  <span class="quiet" i18n>no record any more</span>
                }
              </td>
              <td class="num">{{ d.size | bytes }}</td>
              <td>{{ d.since | instant }}</td>
              <td>
                <code [title]="d.sha256">{{ d.sha256 }}</code>
              </td>
            </tr>
          }
        </tbody>
      </table>
      @if (state().damagedCount > state().damaged.length) {
        <p class="small quiet" i18n>and {{ state().damagedCount - state().damaged.length | count }} more</p>
      }
    </section>
  `,
  styles: `
    section {
      padding: 10px 14px;
      margin-bottom: 12px;
      border-inline-start: 4px solid var(--madder);
    }
    p {
      margin: 2px 0 8px;
    }
    table {
      width: 100%;
      border-collapse: collapse;
    }
    th {
      text-align: start;
      font-size: 12.5px;
      font-weight: 400;
      color: var(--ink-2);
    }
    td,
    th {
      padding: 3px 14px 3px 0;
      vertical-align: top;
    }
    .num {
      text-align: end;
      white-space: nowrap;
    }
    td a {
      display: block;
    }
    code {
      display: block;
      max-width: 220px;
      overflow: hidden;
      text-overflow: ellipsis;
      white-space: nowrap;
      font-size: 12px;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class Damaged {
  readonly state = input.required<FixityState>();

  protected link(holder: Holder): string[] {
    return holder.kind === 'arrival' ? [areas.arrival] : [areas[holder.kind], holder.id];
  }
}

import { ChangeDetectionStrategy, Component, input } from '@angular/core';
import { RouterLink } from '@angular/router';
import type { ReachLine } from '@key-cellar/contract';

const changes: Readonly<Record<ReachLine['change'], string>> = {
  same: '',
  new: $localize`could not before`,
  gone: $localize`can no longer`,
  more: $localize`more than before`,
  less: $localize`less than before`,
  other: $localize`other than before`,
};

/** People who can reach a place or a record, with what and through what; and what that was on an earlier day. */
@Component({
  selector: 'kc-reach-table',
  imports: [RouterLink],
  template: `
    <table class="frame">
      <thead>
        <tr>
          <th i18n>who</th>
          <th i18n>may</th>
          <th i18n>through</th>
          @if (since()) {
            <th i18n>before</th>
          }
          <th><span class="sr" i18n>Why</span></th>
        </tr>
      </thead>
      <tbody>
        @for (line of people(); track line.person.id) {
          <tr [class.differs]="line.change !== 'same'">
            <td>
              <a [routerLink]="['/access/people', line.person.id]">{{ line.person.name }}</a>
              @if (line.change !== 'same') {
                <span class="small change">{{ changes[line.change] }}</span>
              }
            </td>
            <td>{{ line.rights || nothing }}</td>
            <td>
              @for (through of line.through; track through) {
                <span class="small through">{{ through }}</span>
              }
            </td>
            @if (since()) {
              <td class="quiet">{{ line.change === 'same' ? '' : line.was || nothing }}</td>
            }
            <td>
              <a
                routerLink="/access/compare"
                [queryParams]="{ person: line.person.id, place: place(), record: record(), on2: since() }"
                i18n
                >why</a
              >
            </td>
          </tr>
        }
      </tbody>
    </table>
  `,
  styles: `
    td {
      vertical-align: top;
    }
    .through,
    .change {
      display: block;
    }
    .change {
      color: var(--brass);
    }
    tr.differs td {
      background: var(--brass-wash);
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class ReachTable {
  readonly people = input.required<readonly ReachLine[]>();
  readonly place = input<string>();
  readonly record = input<string>();
  readonly since = input<string>();
  protected readonly changes = changes;
  protected readonly nothing = $localize`nothing`;
}

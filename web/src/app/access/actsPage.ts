import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { access, type WhoCan } from '@key-cellar/contract';
import { profiles } from '@key-cellar/core/access';
import { InputText } from 'primeng/inputtext';
import { Api } from '../kit/api';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { CountPipe } from '../kit/words';
import { SetupNav } from '../records/index';

/** One thing that an act takes: “hold on each record”. What names its cases itself, such as “move on a folder, …”, stands as it is. */
function needInWords({ right, on, many }: WhoCan['needs'][number]): string {
  const [first, ...cases] = right.split(', ');
  if (first!.includes(' on ') || first!.includes(' for ')) return right;
  const where = on === 'somewhere' ? 'somewhere' : on === 'repository' ? 'on the whole repository' : `on ${many ? 'each' : 'the'} ${on}`;
  return [`${first} ${where}`, ...cases].join(', ');
}

/** What an act takes, as one reads it: “hold on the hold; hold on each record”. */
export function needsInWords({ needs, because }: WhoCan): string {
  if (because !== null) return `nothing: ${because}`;
  const words = [...new Set(needs.filter(({ right }) => right !== '').map(needInWords))];
  if (words.length > 0) return words.join('; ');
  return needs.map(({ on }) => (on.startsWith('own ') ? `that it is one’s ${on}` : `knowing of the ${on}`)).join('; ');
}

/** What an act does, without what its summary says beside it. */
const doesWhat = ({ summary }: WhoCan): string => summary.split(';')[0]!;

/** Whether every word that was typed begins a word of what is said of an act. */
export function saysOf(act: WhoCan, typed: string): boolean {
  const said = [doesWhat(act), needsInWords(act), ...act.profiles].join(' ').toLowerCase();
  return typed
    .toLowerCase()
    .split(/\s+/)
    .every((word) => word === '' || said.startsWith(word) || said.includes(` ${word}`));
}

/** Who can do what: every act with the right that it takes and on what, read off the table by which the server decides. */
@Component({
  selector: 'kc-acts',
  imports: [CountPipe, FormsModule, InputText, ProblemNotice, SetupNav],
  template: `
    <div class="page">
      <div class="page-head">
        <div>
          <h1 i18n>Who can do what</h1>
          <p class="lede" i18n>
            Everything that changes something, the right that it takes, and on what. It is the list by which the server decides. Where and
            on how much somebody has a profile, the grants of places say.
          </p>
        </div>
      </div>
      <kc-setup-nav />
      <input
        pInputText
        type="search"
        class="narrow"
        placeholder="An act, a right or a profile"
        i18n-placeholder
        aria-label="Narrow the list"
        i18n-aria-label
        [ngModel]="text()"
        (ngModelChange)="text.set($event)"
      />
      <kc-problem [problem]="page.problem()" />
      @if (found(); as list) {
        @if (list.length === 0) {
          <div class="empty" i18n><b>Nothing of that name</b>Try a right, such as hold, or a profile, such as Steward.</div>
        } @else {
          <p class="quiet small count" aria-live="polite" i18n>{{ list.length | count }} acts</p>
          <table class="frame">
            <thead>
              <tr>
                <th i18n>act</th>
                <th i18n>takes</th>
                <th i18n>profiles that carry it</th>
              </tr>
            </thead>
            <tbody>
              @for (act of list; track act.name) {
                <tr>
                  <td>{{ does(act) }}</td>
                  <td>{{ words(act) }}</td>
                  <td>{{ act.profiles.length === everybody ? all : act.profiles.join(', ') }}</td>
                </tr>
              }
            </tbody>
          </table>
        }
      }
    </div>
  `,
  styles: `
    td {
      vertical-align: top;
    }
    td:first-child {
      width: 38%;
    }
    td:nth-child(2) {
      width: 34%;
    }
    .narrow {
      width: min(22rem, 100%);
      margin-bottom: 10px;
    }
    .count {
      margin: 0 0 6px;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class ActsPage {
  private readonly api = inject(Api);
  protected readonly page = loaded(() => this.api.call(access.acts));
  protected readonly text = signal('');
  protected readonly does = doesWhat;
  protected readonly words = needsInWords;
  protected readonly all = $localize`Everybody`;
  /** As many profiles as there are: what all carry is said in a word. */
  protected readonly everybody = profiles.length;
  protected readonly found = computed(() => this.page.value()?.acts.filter((act) => saysOf(act, this.text())));
}

import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { access, type WhoCan } from '@key-cellar/contract';
import { InputText } from 'primeng/inputtext';
import { Api } from '../kit/api';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { CountPipe } from '../kit/words';
import { SetupNav } from '../records/index';

/** Whether every word that was typed begins a word of what is said of an act. */
export function saysOf(act: WhoCan, typed: string): boolean {
  const said = [act.does, act.takes, ...act.profiles].join(' ').toLowerCase();
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
            Every act that changes something, the right it needs, and on what. The server decides by this list. Who has which profile where
            is set by the grants on places.
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
                  <td>{{ act.does }}</td>
                  <td>{{ act.takes }}</td>
                  <td>{{ act.all ? all : act.profiles.join(', ') }}</td>
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
  protected readonly all = $localize`Everybody`;
  protected readonly found = computed(() => this.page.value()?.acts.filter((act) => saysOf(act, this.text())));
}

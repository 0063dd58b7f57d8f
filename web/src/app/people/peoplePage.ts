import { ChangeDetectionStrategy, Component, computed, DestroyRef, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import { identity, people, type GroupLine, type PersonLine, type Problem } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { InputText } from 'primeng/inputtext';
import { Tooltip } from 'primeng/tooltip';
import { Api, toProblem } from '../kit/api';
import { Keys } from '../kit/keys';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { Sheet } from '../kit/sheet';
import { CountPipe, InstantPipe } from '../kit/words';
import { Session } from '../identity/index';
import { SetupNav } from '../records/index';
import { GroupSheet } from './groupSheet';
import { SessionLimitsSheet } from './sessionLimitsSheet';
import { bodyOf, emptyDraft, PersonFields, type Draft } from './personFields';

/** Whether every word that was typed begins a word of a name or login. */
const saysOf = (said: string, typed: string): boolean =>
  typed
    .toLowerCase()
    .split(/\s+/)
    .every((word) => word === '' || ` ${said.toLowerCase()}`.includes(` ${word}`));

/** People and groups: who they are, whether they can sign in, and what they are in. */
@Component({
  selector: 'kc-people',
  imports: [
    Button,
    CountPipe,
    FormsModule,
    GroupSheet,
    InputText,
    InstantPipe,
    PersonFields,
    ProblemNotice,
    RouterLink,
    SessionLimitsSheet,
    SetupNav,
    Sheet,
    Tooltip,
  ],
  template: `
    <div class="page">
      <div class="page-head">
        <div>
          <h1 i18n>People and groups</h1>
          <p class="lede" i18n>
            A person signs in; a group is given access once for everyone in it. What each may do is granted on places of the plan.
          </p>
        </div>
        <div class="acts">
          @if (session.may('setUp')) {
            <p-button
              severity="secondary"
              [text]="true"
              label="When sessions end …"
              i18n-label
              ariaHasPopup="dialog"
              (onClick)="limiting.set(true)"
            />
          }
          <p-button severity="secondary" [outlined]="true" label="Add a group" i18n-label (onClick)="openGroup(null)" />
          <p-button label="Add a person" i18n-label pTooltip="n" tooltipPosition="bottom" (onClick)="begin()" />
        </div>
      </div>
      <kc-setup-nav />
      <input
        pInputText
        type="search"
        class="narrow"
        placeholder="Name or login"
        i18n-placeholder
        aria-label="Narrow the list"
        i18n-aria-label
        [ngModel]="text()"
        (ngModelChange)="text.set($event)"
      />
      <kc-problem [problem]="page.problem()" />
      @if (page.value(); as p) {
        <section aria-labelledby="people">
          <h2 id="people" i18n>People · {{ found().length | count }}</h2>
          @if (found().length === 0) {
            <div class="empty" i18n><b>Nobody of that name</b>Add a person, or bring a table of people in under Packages and tables.</div>
          } @else {
            <table class="frame">
              <thead>
                <tr>
                  <th i18n>name</th>
                  <th i18n>login</th>
                  <th i18n>groups</th>
                  <th i18n>clearance</th>
                  <th i18n>last seen</th>
                </tr>
              </thead>
              <tbody>
                @for (one of found(); track one.id) {
                  <tr [class.gone]="!one.active">
                    <td>
                      <a [routerLink]="['/setup/people', one.id]">{{ one.name }}</a>
                    </td>
                    <td>
                      <code>{{ one.login }}</code>
                    </td>
                    <td class="clip">{{ groupWords(one) }}</td>
                    <td>{{ clearanceWords(one) }}</td>
                    <td>
                      @if (!one.active) {
                        <span class="quiet" i18n>let go</span>
                      } @else if (one.lastSeen; as seen) {
                        {{ seen | instant }}
                      } @else if (one.invitedUntil; as until) {
                        <span class="madder" i18n>invited until {{ until | instant }}</span>
                      } @else if (one.hasPassword || one.providers.length > 0) {
                        <span class="quiet" i18n>not lately</span>
                      } @else {
                        <span class="madder" i18n>has no password yet</span>
                      }
                    </td>
                  </tr>
                }
              </tbody>
            </table>
          }
        </section>
        <section aria-labelledby="groups">
          <h2 id="groups" i18n>Groups · {{ groups().length | count }}</h2>
          @if (groups().length === 0) {
            <div class="empty" i18n>
              <b>No groups</b>Put people who need the same access into one: it is granted and ended for all at once.
            </div>
          } @else {
            <table class="frame">
              <thead>
                <tr>
                  <th i18n>name</th>
                  <th class="num" i18n>members</th>
                  <th i18n>who</th>
                </tr>
              </thead>
              <tbody>
                @for (group of groups(); track group.id) {
                  <tr [class.gone]="!group.active">
                    <td>
                      <button type="button" class="as-link" (click)="openGroup(group)">{{ group.name }}</button>
                      @if (!group.active) {
                        <span class="quiet small" i18n>not in use</span>
                      }
                    </td>
                    <td class="num">{{ (group.everyone ? inUse() : group.members.length) | count }}</td>
                    <td class="clip">{{ memberWords(group) }}</td>
                  </tr>
                }
              </tbody>
            </table>
          }
        </section>
        <kc-sheet [(open)]="adding" heading="Add a person" i18n-heading>
          <form class="form" (ngSubmit)="make()">
            <kc-person-fields [groups]="p.groups" [draft]="draft()" [problem]="problem()" (draftChange)="draft.set($event)" />
            <label class="check">
              <input type="checkbox" name="invite" [ngModel]="invite()" (ngModelChange)="invite.set($event)" />
              <span i18n>Make a link by which they choose their password</span>
            </label>
            @if (invite() && mail.value()?.on && draft().email.trim()) {
              <label class="check">
                <input type="checkbox" name="byMail" [ngModel]="byMail()" (ngModelChange)="byMail.set($event)" />
                <span i18n>Send it to them by mail</span>
              </label>
            }
            <kc-problem [problem]="problem()" />
            <p-button type="submit" [disabled]="busy() || !ready()" label="Add" i18n-label />
          </form>
        </kc-sheet>
        @if (limiting()) {
          <kc-session-limits [(open)]="limiting" />
        }
        <kc-group-sheet [(open)]="grouping" [group]="group()" [people]="p.people" [groups]="p.groups" (changed)="page.reload()" />
      }
    </div>
  `,
  styles: `
    .narrow {
      width: 320px;
      margin-bottom: 4px;
    }
    h2 {
      margin: 18px 0 8px;
    }
    td.clip {
      max-width: 340px;
    }
    td a,
    .as-link {
      font: inherit;
      color: inherit;
      background: none;
      border: 0;
      padding: 0;
      cursor: pointer;
      text-decoration: none;
    }
    td a:hover,
    .as-link:hover {
      text-decoration: underline;
    }
    tr.gone td:first-child a {
      color: var(--ink-2);
    }
    .check {
      display: flex;
      gap: 8px;
      align-items: center;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class PeoplePage {
  private readonly api = inject(Api);
  private readonly router = inject(Router);
  protected readonly session = inject(Session);
  protected readonly page = loaded(() => this.api.call(people.list));
  protected readonly text = signal('');
  protected readonly found = computed(() => (this.page.value()?.people ?? []).filter((p) => saysOf(`${p.name} ${p.login}`, this.text())));
  protected readonly groups = computed(() => (this.page.value()?.groups ?? []).filter((g) => saysOf(g.name, this.text())));
  protected readonly adding = signal(false);
  protected readonly draft = signal<Draft>(emptyDraft);
  protected readonly limiting = signal(false);
  protected readonly invite = signal(true);
  protected readonly byMail = signal(true);
  protected readonly mail = loaded(() => this.api.call(identity.mailChoices));
  protected readonly inUse = computed(() => (this.page.value()?.people ?? []).filter((p) => p.active).length);
  protected readonly grouping = signal(false);
  protected readonly group = signal<GroupLine | null>(null);
  protected readonly busy = signal(false);
  protected readonly problem = signal<Problem | null>(null);
  protected readonly ready = computed(() => this.draft().name.trim() !== '' && this.draft().login.trim() !== '');

  constructor() {
    const remove = inject(Keys).add({ n: [$localize`add a person`, () => this.begin()] });
    inject(DestroyRef).onDestroy(remove);
  }

  protected groupWords(one: PersonLine): string {
    return one.groups.map((g) => g.name).join(', ');
  }

  protected memberWords(group: GroupLine): string {
    return group.everyone ? $localize`everybody who can sign in` : group.members.map((m) => m.name).join(', ');
  }

  protected clearanceWords(one: PersonLine): string {
    const { level, caveats } = one.clearance;
    return [String(level), ...caveats].join(' · ');
  }

  protected begin(): void {
    this.draft.set({ ...emptyDraft, name: this.text() });
    this.problem.set(null);
    this.adding.set(true);
  }

  protected openGroup(group: GroupLine | null): void {
    this.group.set(group);
    this.grouping.set(true);
  }

  protected make(): void {
    this.busy.set(true);
    this.problem.set(null);
    this.api
      .call(people.make, {
        body: {
          ...bodyOf(this.draft()),
          invite: this.invite(),
          byMail: this.byMail() && this.mail.value()?.on === true && this.draft().email.trim() !== '',
        },
      })
      .subscribe({
        next: ({ id, invitation }) => {
          this.busy.set(false);
          this.adding.set(false);
          // The link travels with the page that shows it, and nowhere else.
          void this.router.navigate(['/setup/people', id], { state: { invitation } });
        },
        error: (error: unknown) => {
          this.busy.set(false);
          this.problem.set(toProblem(error));
        },
      });
  }
}

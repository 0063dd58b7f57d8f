import { ChangeDetectionStrategy, Component, computed, effect, inject, input, output, signal, untracked } from '@angular/core';
import { RouterLink } from '@angular/router';
import { identity, people, type AccessShift, type GrantLine, type PlacePage, type Problem } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import type { Observable } from 'rxjs';
import { AccessShiftWords } from '../kit/accessShift';
import { Api, toProblem } from '../kit/api';
import { Choice } from '../kit/choice';
import { DateField } from '../kit/dateField';
import { loaded } from '../kit/loaded';
import { LongTextField } from '../kit/longTextField';
import { ProblemNotice } from '../kit/notice';
import { profileOptions, profileTitle } from '../kit/profiles';
import { Sheet } from '../kit/sheet';
import { PassSheet } from '../passes/index';
import { DayPipe } from '../kit/words';

type Task = { readonly kind: 'give' } | { readonly kind: 'alone' } | { readonly kind: 'change' | 'end'; readonly grant: GrantLine };

/** Who was given what on a place, and on those around it; for those who may give it. What is done is tried first. */
@Component({
  selector: 'kc-place-grants',
  imports: [AccessShiftWords, Button, Choice, DateField, LongTextField, PassSheet, ProblemNotice, RouterLink, Sheet],
  template: `
    <div class="head">
      <h2 i18n>Access</h2>
      @if (page.value()?.mayGrant) {
        <button type="button" (click)="start({ kind: 'give' })" i18n>give access</button>
        @if (place().kind !== 'repository') {
          <button type="button" (click)="start({ kind: 'alone' })">{{ place().standAlone ? labels.open : labels.apart }}</button>
        }
        @if (place().rights.includes('link') && (place().kind === 'folder' || place().kind === 'series')) {
          <button type="button" (click)="passing.set(true)" i18n>visitor pass</button>
        }
        <a routerLink="/access/reach" [queryParams]="{ place: place().id }" i18n>who can reach it</a>
      }
    </div>
    <kc-problem [problem]="page.problem()" />
    @if (page.value(); as p) {
      @if (place().standAlone) {
        <p class="quiet" i18n>Stands alone: what is given farther out does not reach in, but for keepers and auditors.</p>
      }
      @if (p.grants.length === 0) {
        <p class="quiet" i18n>Nobody was given anything here or around it.</p>
      } @else {
        <table class="frame">
          <thead>
            <tr>
              <th i18n>who</th>
              <th i18n>as</th>
              <th i18n>on</th>
              <th i18n>days</th>
              <th i18n>reason</th>
              <th><span class="sr" i18n>Acts</span></th>
            </tr>
          </thead>
          <tbody>
            @for (g of p.grants; track g.id) {
              <tr [class.around]="g.place.id !== place().id">
                <td>
                  {{ g.principal.name }}
                  @if (g.principal.kind === 'group') {
                    <span class="quiet small" i18n>group</span>
                  }
                  @if (!g.principal.active) {
                    <span class="madder small" i18n>not in use</span>
                  }
                </td>
                <td>{{ profileTitle(g.profile) }}</td>
                <td>
                  @if (g.place.id === place().id) {
                    <span i18n>here</span>
                  } @else {
                    <a [routerLink]="['/plan', g.place.id]"
                      ><code>{{ g.place.code }}</code></a
                    >
                  }
                </td>
                <td>{{ dayWords(g) }}</td>
                <td class="why">
                  {{ g.reason }}
                  @if (g.stencil) {
                    <span class="quiet small" i18n>by stencil {{ g.stencil }}</span>
                  }
                </td>
                <td class="do">
                  @if (p.mayGrant && g.place.id === place().id) {
                    <button type="button" (click)="start({ kind: 'change', grant: g })" i18n>change</button>
                    <button type="button" (click)="start({ kind: 'end', grant: g })" i18n>end</button>
                  }
                </td>
              </tr>
            }
          </tbody>
        </table>
      }
    }
    <kc-pass-sheet [(open)]="passing" [placeId]="place().id" [placeName]="place().code + ' ' + place().title" />
    <kc-sheet [open]="task() !== null" (openChange)="$event || task.set(null)" [heading]="heading()">
      @if (task(); as t) {
        <form class="form" (submit)="$event.preventDefault(); send(shift() === null)">
          @if (t.kind === 'give') {
            <kc-choice
              field="grant-who"
              label="Person or group"
              i18n-label
              [options]="options()"
              [value]="principalId()"
              (valueChange)="principalId.set($event); forget()"
            />
          } @else if (t.kind === 'alone') {
            <p class="quiet">{{ place().standAlone ? labels.openSays : labels.apartSays }}</p>
          } @else {
            <p>
              <b>{{ t.grant.principal.name }}</b> · {{ profileTitle(t.grant.profile) }}
            </p>
          }
          @if (t.kind === 'give' || t.kind === 'change') {
            <kc-choice
              field="grant-profile"
              label="As"
              i18n-label
              [options]="profiles"
              [value]="profile()"
              (valueChange)="profile.set($event ?? 'reader'); forget()"
            />
            <div class="two">
              <kc-date-field
                field="grant-from"
                label="From"
                i18n-label
                [value]="from()"
                (valueChange)="from.set($event ?? null); forget()"
              />
              <kc-date-field
                field="grant-until"
                label="Until, that day included"
                i18n-label
                [value]="until()"
                (valueChange)="until.set($event ?? null); forget()"
              />
            </div>
          }
          <kc-long-text-field
            field="grant-reason"
            label="Reason"
            i18n-label
            [needed]="true"
            [rows]="2"
            [maxlength]="2000"
            [value]="reason()"
            (valueChange)="reason.set($event)"
          />
          <kc-access-shift [shift]="shift()" />
          <kc-problem [problem]="problem()" />
          <p-button type="submit" [disabled]="busy() || !ready()" [label]="shift() === null ? labels.look : sendLabel()" />
        </form>
      }
    </kc-sheet>
  `,
  styles: `
    :host {
      display: block;
      padding: 10px 10px 12px;
      border-top: 1px solid var(--line-soft);
    }
    .head {
      display: flex;
      gap: 12px;
      align-items: baseline;
      margin-bottom: 4px;
    }
    h2 {
      font-size: 14px;
    }
    .head button,
    .head a,
    td.do button {
      font: inherit;
      font-size: 12.5px;
      padding: 0;
      border: 0;
      background: none;
      color: var(--ink-2);
      text-decoration: underline;
      cursor: pointer;
    }
    .two {
      display: grid;
      grid-template-columns: 1fr 1fr;
      gap: 12px;
    }
    tr.around td {
      color: var(--ink-2);
    }
    td.why {
      max-width: 260px;
    }
    td.do {
      white-space: nowrap;
    }
    td.do button + button {
      margin-left: 8px;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class PlaceGrants {
  protected readonly labels = {
    look: $localize`See the effect`,
    give: $localize`Give access`,
    save: $localize`Save`,
    end: $localize`End access`,
    apart: $localize`let it stand alone`,
    open: $localize`no longer stand alone`,
    apartSays: $localize`What is given on places around it no longer reaches in, except for keepers and auditors. What is given here stays.`,
    openSays: $localize`What is given on places around it reaches in again.`,
    setApart: $localize`Let it stand alone`,
    setOpen: $localize`Open it again`,
  };
  private readonly api = inject(Api);
  readonly place = input.required<PlacePage>();
  readonly changed = output();
  protected readonly page = loaded(() => this.api.call(people.grantsOn, { params: { id: this.place().id } }));
  private readonly known = loaded(() => this.api.call(identity.people));
  protected readonly options = computed(() =>
    (this.known.value()?.people ?? []).flatMap((p) =>
      p.kind === 'service' ? [] : [{ value: p.id, name: p.kind === 'group' ? $localize`${p.name}:name: (group)` : p.name }],
    ),
  );
  protected readonly profiles = profileOptions;
  protected readonly profileTitle = profileTitle;
  protected readonly task = signal<Task | null>(null);
  protected readonly passing = signal(false);
  protected readonly principalId = signal<string | null>(null);
  protected readonly profile = signal<(typeof profileOptions)[number]['value']>('reader');
  protected readonly from = signal<string | null>(null);
  protected readonly until = signal<string | null>(null);
  protected readonly reason = signal('');
  protected readonly shift = signal<AccessShift | null>(null);
  protected readonly busy = signal(false);
  protected readonly problem = signal<Problem | null>(null);
  protected readonly ready = computed(
    () => this.reason().trim().length >= 3 && (this.task()?.kind !== 'give' || this.principalId() !== null),
  );
  protected readonly heading = computed(() => {
    const { code, title } = this.place();
    const place = `${code} ${title}`.trim();
    switch (this.task()?.kind) {
      case 'change':
        return $localize`Change access to ${place}:place:`;
      case 'end':
        return $localize`End access to ${place}:place:`;
      case 'alone':
        return $localize`Access to ${place}:place:`;
      default:
        return $localize`Give access to ${place}:place:`;
    }
  });
  protected readonly sendLabel = computed(() => {
    const kind = this.task()?.kind;
    if (kind === 'alone') return this.place().standAlone ? this.labels.setOpen : this.labels.setApart;
    return kind === 'end' ? this.labels.end : kind === 'change' ? this.labels.save : this.labels.give;
  });

  constructor() {
    effect(() => {
      if (this.place()) untracked(() => this.task.set(null));
    });
  }

  protected dayWords(g: GrantLine): string {
    const day = (on: string): string => new DayPipe().transform(on);
    if (g.from && g.until) return $localize`${day(g.from)}:from: to ${day(g.until)}:until:`;
    if (g.from) return $localize`from ${day(g.from)}:from:`;
    return g.until ? $localize`until ${day(g.until)}:until:` : '';
  }

  /** What was seen does not hold any more. */
  protected forget(): void {
    this.shift.set(null);
  }

  protected start(task: Task): void {
    const grant = 'grant' in task ? task.grant : null;
    this.principalId.set(null);
    this.profile.set((grant?.profile ?? 'reader') as never);
    this.from.set(grant?.from ?? null);
    this.until.set(grant?.until ?? null);
    this.reason.set(task.kind === 'change' ? task.grant.reason : '');
    this.shift.set(null);
    this.problem.set(null);
    this.task.set(task);
  }

  protected send(dryRun: boolean): void {
    const task = this.task()!;
    const [reason, days] = [this.reason().trim(), { from: this.from(), until: this.until() }];
    this.busy.set(true);
    this.problem.set(null);
    const call: Observable<{ access: AccessShift | null }> =
      task.kind === 'alone'
        ? this.api.call(people.setStandAlone, {
            params: { id: this.place().id },
            body: { revision: this.place().revision, standAlone: !this.place().standAlone, reason, dryRun },
          })
        : task.kind === 'give'
          ? this.api.call(people.giveGrant, {
              params: { id: this.place().id },
              body: { principalId: this.principalId()!, profile: this.profile(), ...days, reason, dryRun },
            })
          : task.kind === 'change'
            ? this.api.call(people.changeGrant, {
                params: { id: task.grant.id },
                body: { profile: this.profile(), ...days, reason, dryRun },
              })
            : this.api.call(people.endGrant, { params: { id: task.grant.id }, body: { reason, dryRun } });
    call.subscribe({
      next: ({ access }) => {
        this.busy.set(false);
        if (dryRun) {
          this.shift.set(access);
          return;
        }
        this.task.set(null);
        this.page.reload();
        this.changed.emit();
      },
      error: (error: unknown) => {
        this.busy.set(false);
        this.problem.set(toProblem(error));
      },
    });
  }
}

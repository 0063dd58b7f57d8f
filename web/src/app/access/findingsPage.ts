import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { RouterLink } from '@angular/router';
import {
  access,
  accessFindingKinds,
  people,
  type AccessFinding,
  type AccessFindingKind,
  type AccessShift,
  type OutcomeLine,
  type Problem,
} from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { Session } from '../identity/index';
import { AccessShiftWords } from '../kit/accessShift';
import { Api, toProblem } from '../kit/api';
import { DateField } from '../kit/dateField';
import { loaded } from '../kit/loaded';
import { LongTextField } from '../kit/longTextField';
import { ProblemNotice } from '../kit/notice';
import { ResultList } from '../kit/resultList';
import { Sheet } from '../kit/sheet';
import { CountPipe } from '../kit/words';
import { AccessNav } from './accessNav';

const titles: Readonly<Record<AccessFindingKind, { readonly title: string; readonly mend: string }>> = {
  endsSoon: { title: $localize`End within thirty days`, mend: $localize`Give them another last day where they are still needed.` },
  ended: { title: $localize`Ended`, mend: $localize`They give nothing any more. End them to tidy up.` },
  never: {
    title: $localize`Given to one person, without an end`,
    mend: $localize`Give them a last day, or give the access to a group.`,
  },
  unused: { title: $localize`Not used for three months`, mend: $localize`End what is not needed.` },
  asGroup: {
    title: $localize`No more than their groups give`,
    mend: $localize`End them: nothing changes, and less is to be kept in mind.`,
  },
  moreThanGroup: { title: $localize`More than their groups give`, mend: $localize`Check that it is meant.` },
  standsAlone: { title: $localize`Places that stand alone`, mend: $localize`What is given around them does not reach in.` },
  noPassword: { title: $localize`People without a password`, mend: $localize`Invite them, or let them go.` },
  noSecondFactor: { title: $localize`People without a second factor`, mend: $localize`Let a group that they are in ask for it.` },
  emptyGroup: { title: $localize`Given to a group that nobody is in`, mend: $localize`Put people into it, or end it.` },
};

/** What somebody should look at, kind by kind, each with its mend; grants are ended or limited many at once, with the effect first. */
@Component({
  selector: 'kc-access-findings',
  imports: [AccessNav, AccessShiftWords, Button, CountPipe, DateField, LongTextField, ProblemNotice, ResultList, RouterLink, Sheet],
  template: `
    <div class="page">
      <div class="page-head">
        <div>
          <h1 i18n>To look at</h1>
          <p class="lede" i18n>Grants and places where access may not be what it should be, as far as you give access or audit.</p>
        </div>
        @if (session.may('grant')) {
          <div class="acts">
            <p-button
              severity="secondary"
              [outlined]="true"
              [disabled]="marked().size === 0"
              label="Give a last day …"
              i18n-label
              (onClick)="start('until')"
            />
            <p-button [disabled]="marked().size === 0" label="End …" i18n-label (onClick)="start('end')" />
          </div>
        }
      </div>
      <kc-access-nav />
      <kc-problem [problem]="page.problem()" />
      @if (marked().size > 0) {
        <p role="status" class="quiet" i18n>{marked().size, plural, =1 {One grant} other {{{ marked().size | count }} grants}} marked.</p>
      }
      @for (group of groups(); track group.kind) {
        <section>
          <div class="section-head">
            <h2>{{ group.title }} · {{ group.lines.length | count }}</h2>
            <span class="quiet small">{{ group.mend }}</span>
          </div>
          <ul class="panel">
            @for (line of group.lines; track $index) {
              <li>
                @if (line.grantId; as id) {
                  <label>
                    <input type="checkbox" [checked]="marked().has(id)" (change)="mark(id)" />
                    <span>{{ line.sentence }}</span>
                  </label>
                } @else {
                  <span>{{ line.sentence }}</span>
                }
                <span class="links">
                  @if (line.tagId; as tag) {
                    <a [routerLink]="['/access/tags', tag]" i18n>tag</a>
                  } @else if (line.recordId; as record) {
                    <a [routerLink]="['/records', record]" i18n>record</a>
                  } @else if (line.place; as place) {
                    <a [routerLink]="['/plan', place.id]" i18n>place</a>
                  }
                  @if (line.personId; as person) {
                    <a
                      [routerLink]="
                        line.kind === 'noPassword' || line.kind === 'noSecondFactor'
                          ? ['/setup/people', person]
                          : ['/access/people', person]
                      "
                      i18n
                      >person</a
                    >
                  }
                </span>
              </li>
            }
          </ul>
        </section>
      } @empty {
        @if (page.value()) {
          <div class="empty" i18n><b>Nothing stands out</b>Every grant is in use, ends when it should, and gives what groups do not.</div>
        }
      }
    </div>
    <kc-sheet [open]="task() !== null" (openChange)="$event || task.set(null)" [heading]="task() === 'end' ? labels.end : labels.until">
      @if (results(); as lines) {
        <kc-result-list [lines]="lines" />
        <p-button label="Close" i18n-label (onClick)="task.set(null)" />
      } @else if (task(); as t) {
        <form class="form" (submit)="$event.preventDefault(); send(shift() === null)">
          <p i18n>{marked().size, plural, =1 {One grant} other {{{ marked().size | count }} grants}}</p>
          @if (t === 'until') {
            <kc-date-field
              field="limit-until"
              label="Until, that day included"
              i18n-label
              [needed]="true"
              [value]="until()"
              (valueChange)="until.set($event); shift.set(null)"
            />
          }
          <kc-long-text-field
            field="limit-reason"
            label="Reason"
            i18n-label
            [needed]="true"
            [rows]="2"
            [maxlength]="2000"
            [value]="reason()"
            (valueChange)="reason.set($event)"
          />
          <kc-access-shift [shift]="shift()" />
          @if (refused().length > 0) {
            <kc-result-list [lines]="refused()" />
          }
          <kc-problem [problem]="problem()" />
          <p-button
            type="submit"
            [disabled]="busy() || reason().trim().length < 3 || (t === 'until' && until() === null)"
            [label]="shift() === null ? labels.look : t === 'end' ? labels.end : labels.until"
          />
        </form>
      }
    </kc-sheet>
  `,
  styles: `
    section + section {
      margin-top: 18px;
    }
    ul {
      max-height: 320px;
      overflow: auto;
    }
    li {
      display: flex;
      gap: 12px;
      align-items: baseline;
      padding: 5px 10px;
      border-bottom: 1px solid var(--line-soft);
    }
    label {
      display: flex;
      gap: 8px;
      align-items: baseline;
    }
    .links {
      display: flex;
      gap: 10px;
      margin-inline-start: auto;
      font-size: 12.5px;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class FindingsPage {
  private readonly api = inject(Api);
  protected readonly session = inject(Session);
  protected readonly labels = { look: $localize`See the effect`, end: $localize`End grants`, until: $localize`Give a last day` };
  protected readonly page = loaded(() => this.api.call(access.findings));
  protected readonly groups = computed(() =>
    accessFindingKinds
      .map((kind) => ({ kind, ...titles[kind], lines: (this.page.value()?.findings ?? []).filter((f: AccessFinding) => f.kind === kind) }))
      .filter((group) => group.lines.length > 0),
  );
  protected readonly marked = signal<ReadonlySet<string>>(new Set());
  protected readonly task = signal<'end' | 'until' | null>(null);
  protected readonly until = signal<string | null>(null);
  protected readonly reason = signal('');
  protected readonly shift = signal<AccessShift | null>(null);
  protected readonly refused = signal<readonly OutcomeLine[]>([]);
  protected readonly results = signal<readonly OutcomeLine[] | null>(null);
  protected readonly busy = signal(false);
  protected readonly problem = signal<Problem | null>(null);

  protected mark(id: string): void {
    this.marked.update((ids) => {
      const next = new Set(ids);
      if (!next.delete(id)) next.add(id);
      return next;
    });
  }

  protected start(task: 'end' | 'until'): void {
    this.until.set(null);
    this.reason.set('');
    this.shift.set(null);
    this.refused.set([]);
    this.results.set(null);
    this.problem.set(null);
    this.task.set(task);
  }

  protected send(dryRun: boolean): void {
    this.busy.set(true);
    this.problem.set(null);
    const until = this.task() === 'until' ? this.until() : null;
    this.api.call(people.limitGrants, { body: { ids: [...this.marked()], until, reason: this.reason().trim(), dryRun } }).subscribe({
      next: ({ results, access: shift }) => {
        this.busy.set(false);
        if (dryRun) {
          this.shift.set(shift);
          this.refused.set(results.filter((r) => r.outcome !== 'done'));
          return;
        }
        this.results.set(results);
        this.marked.set(new Set());
        this.page.reload();
      },
      error: (error: unknown) => {
        this.busy.set(false);
        this.problem.set(toProblem(error));
      },
    });
  }
}

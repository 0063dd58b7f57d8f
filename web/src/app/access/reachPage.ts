import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { ActivatedRoute, Router } from '@angular/router';
import { access, type Problem, type ResponseOf } from '@key-cellar/contract';
import { Session } from '../identity/index';
import { Api, toProblem } from '../kit/api';
import { Choice } from '../kit/choice';
import { DateField } from '../kit/dateField';
import { ProblemNotice } from '../kit/notice';
import { CountPipe, DayPipe } from '../kit/words';
import { AccessNav } from './accessNav';
import { spotChoices } from './places';
import { ReachTable } from './reachTable';

/** Who can reach a place or a record, with what, and since an earlier day: who gained or lost it. */
@Component({
  selector: 'kc-access-reach',
  imports: [AccessNav, Choice, CountPipe, DateField, DayPipe, ProblemNotice, ReachTable],
  template: `
    <div class="page">
      <div class="page-head">
        <div>
          <h1 i18n>Who can reach it</h1>
          @if (answer(); as a) {
            <p class="lede">
              <ng-container i18n
                ><b>{{ a.where }}</b
                >: {now(), plural, =0 {nobody} =1 {one person} other {{{ now() | count }} people}};
                {{ a.others | count }} cannot.</ng-container
              >
              @if (since(); as day) {
                <ng-container i18n
                  >Since {{ day | day }} it has changed for
                  {changed(), plural, =0 {nobody} =1 {one} other {{{ changed() | count }}}}.</ng-container
                >
              }
            </p>
          }
        </div>
      </div>
      <kc-access-nav />
      <div class="ask">
        @if (record() === undefined) {
          <kc-choice
            field="reach-place"
            label="Place"
            i18n-label
            [options]="choices.places()"
            [value]="place()"
            (valueChange)="set({ place: $event })"
          />
          <kc-date-field
            field="reach-since"
            label="What changed since"
            i18n-label
            placeholder="no earlier day"
            i18n-placeholder
            [max]="session.today()"
            [value]="since()"
            (valueChange)="set({ since: $event })"
          />
        }
      </div>
      <kc-problem [problem]="problem()" />
      @if (answer(); as a) {
        @if (a.people.length === 0) {
          <div class="empty" i18n><b>Nobody</b>No grant in force reaches it.</div>
        } @else {
          <kc-reach-table [people]="a.people" [place]="place()" [record]="record()" [since]="since()" />
        }
      } @else if (!problem()) {
        <div class="empty" i18n><b>No place named yet</b>Choose a place, or come here from a record.</div>
      }
    </div>
  `,
  styles: `
    .ask {
      display: grid;
      grid-template-columns: minmax(0, 420px) 190px;
      gap: 12px;
      margin-bottom: 12px;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class ReachPage {
  private readonly api = inject(Api);
  private readonly router = inject(Router);
  private readonly route = inject(ActivatedRoute);
  protected readonly session = inject(Session);
  readonly place = input<string>();
  readonly record = input<string>();
  readonly since = input<string>();
  protected readonly choices = spotChoices();
  protected readonly answer = signal<ResponseOf<typeof access.reach> | null>(null);
  protected readonly problem = signal<Problem | null>(null);
  protected readonly now = computed(() => this.answer()?.people.filter((p) => p.change !== 'gone').length ?? 0);
  protected readonly changed = computed(() => this.answer()?.people.filter((p) => p.change !== 'same').length ?? 0);

  constructor() {
    effect((onCleanup) => {
      const [placeId, recordId, since] = [this.place(), this.record(), this.since()];
      if (!placeId && !recordId) return untracked(() => this.answer.set(null));
      const query = { ...(recordId ? { recordId } : { placeId }), ...(since && !recordId ? { since } : {}) };
      const asking = this.api.call(access.reach, { query }).subscribe({
        next: (answer) => {
          this.answer.set(answer);
          this.problem.set(null);
        },
        error: (error: unknown) => {
          this.answer.set(null);
          this.problem.set(toProblem(error));
        },
      });
      onCleanup(() => asking.unsubscribe());
    });
  }

  protected set(queryParams: Record<string, string | null>): void {
    void this.router.navigate([], { relativeTo: this.route, queryParams, queryParamsHandling: 'merge', replaceUrl: true });
  }
}

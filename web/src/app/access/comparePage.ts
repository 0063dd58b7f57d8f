import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { ActivatedRoute, Router } from '@angular/router';
import { access, type AccessSide, type Problem, type RightLine } from '@key-cellar/contract';
import { Session } from '../identity/index';
import { Api, toProblem } from '../kit/api';
import { Choice } from '../kit/choice';
import { DateField } from '../kit/dateField';
import { ProblemNotice } from '../kit/notice';
import { AccessNav } from './accessNav';
import { spotChoices } from './places';
import { WhySides } from './whySides';

/** What somebody may do at a place and why; and beside it another person, another place or another day. */
@Component({
  selector: 'kc-access-compare',
  imports: [AccessNav, Choice, DateField, ProblemNotice, WhySides],
  template: `
    <div class="page">
      <div class="page-head">
        <div>
          <h1 i18n>Why, and side by side</h1>
          <p class="lede" i18n>
            What someone may do at a place on a day, with every grant that was weighed. Name a second person, place or day to see where they
            differ.
          </p>
        </div>
      </div>
      <kc-access-nav />
      <div class="spots">
        <fieldset>
          <legend i18n>One</legend>
          <kc-choice
            field="who-1"
            label="Person or group"
            i18n-label
            [options]="choices.people()"
            [value]="person()"
            (valueChange)="set({ person: $event })"
          />
          @if (!record()) {
            <kc-choice
              field="where-1"
              label="Place"
              i18n-label
              [options]="choices.places()"
              [value]="place()"
              (valueChange)="set({ place: $event })"
            />
          }
          <kc-date-field
            field="when-1"
            label="On"
            i18n-label
            [max]="session.today()"
            [value]="on() ?? session.today()"
            (valueChange)="set({ on: $event })"
          />
        </fieldset>
        <fieldset>
          <legend i18n>The other</legend>
          <kc-choice
            field="who-2"
            label="Person or group"
            i18n-label
            placeholder="the same"
            i18n-placeholder
            [open]="true"
            [options]="choices.people()"
            [value]="person2()"
            (valueChange)="set({ person2: $event })"
          />
          @if (!record()) {
            <kc-choice
              field="where-2"
              label="Place"
              i18n-label
              placeholder="the same"
              i18n-placeholder
              [open]="true"
              [options]="choices.places()"
              [value]="place2()"
              (valueChange)="set({ place2: $event })"
            />
          }
          <kc-date-field
            field="when-2"
            label="On"
            i18n-label
            placeholder="the same"
            i18n-placeholder
            [max]="session.today()"
            [value]="on2()"
            (valueChange)="set({ on2: $event })"
          />
        </fieldset>
      </div>
      <kc-problem [problem]="problem()" />
      @if (answer(); as found) {
        <kc-why-sides class="panel" [class.two]="found.sides.length > 1" [sides]="found.sides" [rights]="found.rights" />
      } @else if (!problem()) {
        <div class="empty" i18n><b>Nobody named yet</b>Choose a person and a place.</div>
      }
    </div>
  `,
  styles: `
    .spots {
      display: grid;
      grid-template-columns: 1fr 1fr;
      gap: 16px;
      margin-bottom: 14px;
    }
    fieldset {
      display: grid;
      grid-template-columns: 1fr 1fr 150px;
      gap: 10px;
      margin: 0;
      border: 1px solid var(--line);
      padding: 6px 12px 12px;
      min-width: 0;
    }
    kc-why-sides {
      padding: 12px;
    }
    kc-why-sides.two {
      grid-template-columns: 1fr 1fr;
    }
    kc-why-sides.two ::ng-deep table {
      grid-column: 1 / -1;
    }
    @media (max-width: 1100px) {
      .spots,
      kc-why-sides.two {
        grid-template-columns: minmax(0, 1fr);
      }
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class ComparePage {
  private readonly api = inject(Api);
  private readonly router = inject(Router);
  private readonly route = inject(ActivatedRoute);
  protected readonly session = inject(Session);
  /** As the address has them; what the other side leaves open is as on the first. */
  readonly person = input<string>();
  readonly place = input<string>();
  readonly record = input<string>();
  readonly on = input<string>();
  readonly person2 = input<string>();
  readonly place2 = input<string>();
  readonly on2 = input<string>();
  protected readonly choices = spotChoices();
  protected readonly answer = signal<{ sides: AccessSide[]; rights: RightLine[] } | null>(null);
  protected readonly problem = signal<Problem | null>(null);
  private readonly spots = computed(() => {
    const [personId, placeId, recordId] = [this.person(), this.place(), this.record()];
    if (!personId || (!placeId && !recordId)) return null;
    const where = (other?: string) => (recordId ? { recordId } : { placeId: other ?? placeId! });
    const first = { personId, ...where(), on: this.on() ?? null };
    if (!this.person2() && !this.place2() && !this.on2()) return [first];
    return [first, { personId: this.person2() ?? personId, ...where(this.place2()), on: this.on2() ?? this.on() ?? null }];
  });

  constructor() {
    effect((onCleanup) => {
      const spots = this.spots();
      if (!spots) return untracked(() => this.answer.set(null));
      const asking = this.api.call(access.compare, { body: { spots } }).subscribe({
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

import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { schedule, type Dossier, type RuleOnDay as Answer } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { EMPTY, forkJoin, of } from 'rxjs';
import { Session } from '../identity/index';
import { Api } from '../kit/api';
import { DateField } from '../kit/dateField';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { Why } from '../kit/why';
import { DayPipe } from '../kit/words';

/** Why a record is kept until when: today, or on a day of the past, as far as was known on another. */
@Component({
  selector: 'kc-rule-on-day',
  imports: [Button, DateField, DayPipe, ProblemNotice, Why],
  template: `
    @if (asked(); as day) {
      <p class="then" role="status">
        <b i18n>On {{ day.on | day }}, as known on {{ day.known | day }}:</b>
        @if (answer()?.then?.since; as since) {
          <span class="quiet" i18n
            >Changes have been recorded since {{ since | day }}; for earlier days, the state on that day is used.</span
          >
        }
      </p>
    }
    <kc-why [why]="answer()?.then?.explanation ?? why()" />
    @if (otherwise(); as now) {
      <p class="otherwise"><b i18n>As known today:</b> {{ now }}</p>
    }
    <div class="on-day">
      <kc-date-field
        field="as-of"
        label="Which rule was in force on"
        i18n-label
        [max]="session.today()"
        [value]="on()"
        (valueChange)="ask($event)"
      />
      @if (on()) {
        <kc-date-field
          field="as-known"
          label="as known on"
          i18n-label
          [max]="session.today()"
          [value]="known()"
          placeholder="today"
          i18n-placeholder
          (valueChange)="known.set($event)"
        />
        <p-button size="small" severity="secondary" [text]="true" label="Back to today" i18n-label (onClick)="ask('')" />
      }
    </div>
    <kc-problem [problem]="asked() ? found.problem() : null" />
  `,
  styles: `
    .then,
    .otherwise {
      margin: 0 0 8px;
      padding: 6px 10px;
      border-inline-start: 3px solid var(--brass);
      background: var(--ground);
    }
    .otherwise {
      margin: 10px 0 0;
    }
    .on-day {
      display: flex;
      flex-wrap: wrap;
      align-items: end;
      gap: 8px 16px;
      margin-top: 12px;
      padding-top: 8px;
      border-top: 1px solid var(--line-soft);
    }
    .on-day kc-date-field {
      width: 190px;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class RuleOnDay {
  private readonly api = inject(Api);
  protected readonly session = inject(Session);
  readonly recordId = input.required<string>();
  /** What is said today. */
  readonly why = input.required<Dossier['why']>();

  protected readonly on = signal('');
  protected readonly known = signal('');
  protected readonly asked = computed(() => (this.on() ? { on: this.on(), known: this.known() || this.session.today() } : null));
  protected readonly found = loaded(() => {
    const day = this.asked();
    if (day === null) return EMPTY;
    const onDay = (known: string) => this.api.call(schedule.ruleOnDay, { params: { id: this.recordId() }, query: { on: day.on, known } });
    const now = this.session.today();
    return forkJoin({ day: of(day), then: onDay(day.known), now: day.known === now ? of(null) : onDay(now) });
  });
  /** The answer to what is asked, and not to what was asked before. */
  protected readonly answer = computed<{ then: Answer; now: Answer | null } | null>(() => {
    const found = this.found.value();
    return found && found.day === this.asked() ? found : null;
  });
  /** What today's knowledge says of that day, where it says something else. */
  protected readonly otherwise = computed(() => {
    const { then, now } = this.answer() ?? {};
    return then && now && now.explanation.summary !== then.explanation.summary ? now.explanation.summary : null;
  });

  protected ask(day: string): void {
    this.on.set(day);
    if (!day) this.known.set('');
  }
}

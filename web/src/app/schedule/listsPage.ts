import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { schedule, type NamedYearLine, type Problem } from '@key-cellar/contract';
import { civilDate, formatCivilDate, readDate } from '@key-cellar/core/calendar';
import { Button } from 'primeng/button';
import { InputText } from 'primeng/inputtext';
import type { Observable } from 'rxjs';
import { Session } from '../identity/index';
import { Api, toProblem } from '../kit/api';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { Sheet } from '../kit/sheet';
import { CountPipe, DayPipe } from '../kit/words';
import { TextField } from '../kit/textField';
import { LongTextField } from '../kit/longTextField';
import { ScheduleNav } from './scheduleNav';

/** What rules can wait for and roll to: the types of events, and the years whose ends are listed. */
@Component({
  selector: 'kc-schedule-lists',
  imports: [LongTextField, TextField, Button, CountPipe, DayPipe, FormsModule, InputText, ProblemNotice, ScheduleNav, Sheet],
  template: `
    <div class="page">
      <div class="page-head">
        <div>
          <h1 i18n>Events and years</h1>
          <p class="lede" i18n>What can be recorded so that clocks start, stop and go on, and years whose ends somebody has to list.</p>
        </div>
      </div>
      <kc-schedule-nav />
      <kc-problem [problem]="types.problem() ?? years.problem()" />
      @if (!open()) {
        <kc-problem [problem]="problem()" />
      }
      <div class="two">
        <section aria-labelledby="types-head">
          <h2 id="types-head" i18n>Types of events</h2>
          @if (keeper()) {
            <form class="add" (ngSubmit)="addType()">
              <label class="sr" for="event-type-name" i18n>Another type of event</label>
              <input
                pInputText
                id="event-type-name"
                name="name"
                maxlength="80"
                placeholder="vessel scrapped"
                i18n-placeholder
                [ngModel]="typeName()"
                (ngModelChange)="typeName.set($event)"
              />
              <p-button type="submit" size="small" [disabled]="busy() || !typeName().trim()" label="Add it" i18n-label />
            </form>
          }
          @if (types.value(); as t) {
            <table class="frame">
              <thead>
                <tr>
                  <th i18n>event</th>
                  <th class="num" i18n>rules</th>
                  <th class="num" i18n>recorded</th>
                  <th><span class="sr" i18n>acts</span></th>
                </tr>
              </thead>
              <tbody>
                @for (type of t.types; track type.name) {
                  <tr>
                    <td>{{ type.name }}</td>
                    <td class="num">{{ type.rules || '' }}</td>
                    <td class="num">{{ type.events ? (type.events | count) : '' }}</td>
                    <td class="num">
                      @if (keeper() && type.rules === 0 && type.events === 0) {
                        <p-button
                          size="small"
                          severity="secondary"
                          [text]="true"
                          label="remove"
                          i18n-label
                          ariaLabel="Remove {{ type.name }}"
                          i18n-ariaLabel
                          (onClick)="dropType(type.name)"
                        />
                      }
                    </td>
                  </tr>
                } @empty {
                  <tr>
                    <td colspan="4" class="quiet" i18n>No event can be recorded yet.</td>
                  </tr>
                }
              </tbody>
            </table>
          }
        </section>
        <section aria-labelledby="years-head">
          <h2 id="years-head" i18n>Named years</h2>
          @if (keeper()) {
            <div class="add"><p-button size="small" label="Add a named year" i18n-label (onClick)="begin(null)" /></div>
          }
          @if (years.value(); as y) {
            <table class="frame">
              <thead>
                <tr>
                  <th i18n>year</th>
                  <th i18n>ends on</th>
                  <th class="num" i18n>rules</th>
                  <th><span class="sr" i18n>acts</span></th>
                </tr>
              </thead>
              <tbody>
                @for (year of y.years; track year.name) {
                  <tr>
                    <td>{{ year.name }}</td>
                    <td>
                      @if (next(year); as end) {
                        {{ end | day }}&ngsp;
                        <span class="quiet small" i18n>{year.ends.length, plural,
                          =1 {one end listed}
                          other {{{ year.ends.length }} ends listed}
                        }</span>
                      } @else {
                        <span class="madder" i18n>no end ahead is listed</span>
                      }
                    </td>
                    <td class="num">{{ year.rules || '' }}</td>
                    <td class="num">
                      @if (keeper()) {
                        <p-button
                          size="small"
                          severity="secondary"
                          [text]="true"
                          label="ends"
                          i18n-label
                          ariaLabel="Ends of {{ year.name }}"
                          i18n-ariaLabel
                          (onClick)="begin(year)"
                        />
                        @if (year.rules === 0) {
                          <p-button
                            size="small"
                            severity="secondary"
                            [text]="true"
                            label="remove"
                            i18n-label
                            ariaLabel="Remove {{ year.name }}"
                            i18n-ariaLabel
                            (onClick)="dropYear(year.name)"
                          />
                        }
                      }
                    </td>
                  </tr>
                } @empty {
                  <tr>
                    <td colspan="4" class="quiet" i18n>None. Terms of office and years of 52 or 53 weeks are listed here.</td>
                  </tr>
                }
              </tbody>
            </table>
          }
        </section>
      </div>
      <kc-sheet [(open)]="open" [heading]="changing() ? labels.endsOf(changing()!.name) : labels.addYear">
        <form class="form" (ngSubmit)="saveYear()">
          @if (!changing()) {
            <kc-text-field
              field="year-name"
              label="Name"
              i18n-label
              [maxlength]="80"
              placeholder="Council term"
              i18n-placeholder
              [value]="name()"
              (valueChange)="name.set($event)"
            />
          }
          <kc-long-text-field
            field="year-ends"
            label="Last days, one per line"
            i18n-label
            [rows]="10"
            placeholder="30 Jun 2026"
            i18n-placeholder
            hint="A clock rolled to it starts the day after."
            i18n-hint
            [wrong]="wrongEnd() ? labels.wrongLine(wrongEnd()!) : undefined"
            [value]="endsText()"
            (valueChange)="endsText.set($event)"
          />
          <kc-problem [problem]="problem()" />
          <p-button
            type="submit"
            [disabled]="busy() || wrongEnd() !== null || (!changing() && !name().trim())"
            [label]="changing() ? labels.setEnds : labels.add"
          />
        </form>
      </kc-sheet>
    </div>
  `,
  styles: `
    .two {
      display: grid;
      grid-template-columns: repeat(auto-fit, minmax(420px, 1fr));
      gap: 16px 32px;
      align-items: start;
    }
    .add {
      display: flex;
      gap: 8px;
      align-items: center;
      min-height: 40px;
      margin-bottom: 8px;
    }
    .add input {
      flex: 1;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class ListsPage {
  protected readonly labels = {
    endsOf: (name: string) => $localize`Ends of ${name}:year:`,
    addYear: $localize`Add a named year`,
    setEnds: $localize`Set its ends`,
    add: $localize`Add it`,
    wrongLine: (no: number) => $localize`Line ${no}:line: is no date.`,
  };
  private readonly api = inject(Api);
  private readonly session = inject(Session);
  protected readonly keeper = computed(() => this.session.may('dispose'));
  protected readonly types = loaded(() => this.api.call(schedule.eventTypes));
  protected readonly years = loaded(() => this.api.call(schedule.namedYears));
  protected readonly typeName = signal('');
  protected readonly open = signal(false);
  protected readonly changing = signal<NamedYearLine | null>(null);
  protected readonly name = signal('');
  protected readonly endsText = signal('');
  protected readonly busy = signal(false);
  protected readonly problem = signal<Problem | null>(null);
  private readonly ends = computed(() =>
    this.endsText()
      .split('\n')
      .map((line, i) => ({ no: i + 1, line: line.trim(), day: readDate(line, civilDate(this.session.today() || '2000-01-01')) }))
      .filter(({ line }) => line !== ''),
  );
  /** Number of the first line that is no date. */
  protected readonly wrongEnd = computed(() => this.ends().find((e) => e.day === null)?.no ?? null);

  protected next({ ends }: NamedYearLine): string | undefined {
    return ends.find((end) => end >= this.session.today());
  }

  protected addType(): void {
    this.act(this.api.call(schedule.makeEventType, { body: { name: this.typeName().trim() } }), () => {
      this.typeName.set('');
      this.types.reload();
    });
  }

  protected dropType(name: string): void {
    this.act(this.api.call(schedule.dropEventType, { body: { name } }), () => this.types.reload());
  }

  protected begin(year: NamedYearLine | null): void {
    this.changing.set(year);
    this.name.set(year?.name ?? '');
    this.endsText.set((year?.ends ?? []).join('\n'));
    this.problem.set(null);
    this.open.set(true);
  }

  protected saveYear(): void {
    const ends = this.ends().map((e) => formatCivilDate(e.day!));
    this.act(this.api.call(schedule.setNamedYear, { body: { name: this.name().trim(), ends } }), () => {
      this.open.set(false);
      this.years.reload();
    });
  }

  protected dropYear(name: string): void {
    this.act(this.api.call(schedule.dropNamedYear, { body: { name } }), () => this.years.reload());
  }

  private act(call: Observable<unknown>, done: () => void): void {
    this.busy.set(true);
    this.problem.set(null);
    call.subscribe({
      next: () => {
        this.busy.set(false);
        done();
      },
      error: (error: unknown) => {
        this.busy.set(false);
        this.problem.set(toProblem(error));
      },
    });
  }
}

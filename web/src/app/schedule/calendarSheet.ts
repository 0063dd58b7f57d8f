import { ChangeDetectionStrategy, Component, computed, effect, inject, input, model, output, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { schedule, type JurisdictionLine, type Problem } from '@key-cellar/contract';
import { civilDate, formatCivilDate, readDate } from '@key-cellar/core/calendar';
import { Button } from 'primeng/button';
import type { Observable } from 'rxjs';
import { Session } from '../identity/index';
import { Api, toProblem } from '../kit/api';
import { ProblemNotice } from '../kit/notice';
import { Sheet } from '../kit/sheet';
import { LongTextField } from '../kit/longTextField';

/** Monday first, as ISO 8601 counts them. */
export const weekdayNames = [
  $localize`Mon`,
  $localize`Tue`,
  $localize`Wed`,
  $localize`Thu`,
  $localize`Fri`,
  $localize`Sat`,
  $localize`Sun`,
] as const;

interface Holiday {
  readonly on: string;
  readonly name: string;
}

/** A line of text as a holiday: its date, then its name; null when it begins with no date. */
export function readHoliday(line: string, today: string): Holiday | null {
  const words = line.trim().split(/[\s,;]+/);
  for (let n = Math.min(4, words.length); n > 0; n--) {
    const day = readDate(words.slice(0, n).join(' '), civilDate(today));
    if (day !== null) return { on: formatCivilDate(day), name: words.slice(n).join(' ') || $localize`holiday` };
  }
  return null;
}

/** Which days are worked in a jurisdiction: days of the week, and holidays typed or read from iCalendar. */
@Component({
  selector: 'kc-calendar-sheet',
  imports: [LongTextField, Button, FormsModule, ProblemNotice, Sheet],
  template: `
    <kc-sheet [(open)]="open" heading="Working days in {{ line()?.name ?? '' }}" i18n-heading [width]="560">
      <form class="form" (ngSubmit)="save()">
        <p i18n>
          Notices, and steps that count working days, go by this calendar here and in all that is part of it. Due dates are recalculated.
        </p>
        <fieldset class="choices">
          <legend i18n>Non-working days of the week</legend>
          @for (name of weekdayNames; track name; let i = $index) {
            <label
              ><input type="checkbox" [name]="'day-' + i" [ngModel]="weekend().has(i + 1)" (ngModelChange)="toggle(i + 1, $event)" />
              {{ name }}</label
            >
          }
        </fieldset>
        <kc-long-text-field
          field="holidays"
          label="Holidays, one per line"
          i18n-label
          [rows]="12"
          placeholder="25 Dec 2026 Christmas Day"
          i18n-placeholder
          hint="{{ holidays().length }} days. What lies behind stays, for clocks that ran through it."
          i18n-hint
          [wrong]="wrong().length > 0 ? labels.wrongLine(wrong()[0]!) : undefined"
          [value]="text()"
          (valueChange)="text.set($event)"
        />
        <div class="acts">
          <p-button
            severity="secondary"
            [outlined]="true"
            label="Read iCalendar"
            i18n-label
            [disabled]="busy()"
            (onClick)="chosen.click()"
          />
          <input #chosen type="file" accept=".ics,text/calendar" hidden (change)="take(chosen)" />
          @if (line()?.calendar) {
            <a class="down" [href]="download()" download i18n>Save as iCalendar</a>
          }
        </div>
        <kc-problem [problem]="problem()" />
        <div class="acts">
          <p-button type="submit" [disabled]="busy() || wrong().length > 0 || weekend().size > 6" label="Set the working days" i18n-label />
          @if (line()?.calendar) {
            <p-button severity="secondary" [outlined]="true" [disabled]="busy()" label="Have no calendar" i18n-label (onClick)="drop()" />
          }
        </div>
      </form>
    </kc-sheet>
  `,
  styles: `
    fieldset {
      border: 1px solid var(--line);
      margin: 0;
      padding: 6px 12px 10px;
      display: flex;
      flex-wrap: wrap;
      gap: 4px 14px;
    }
    .down {
      align-self: center;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class CalendarSheet {
  protected readonly labels = { wrongLine: (no: number) => $localize`Line ${no}:line: begins with no date.` };
  private readonly api = inject(Api);
  private readonly session = inject(Session);
  readonly open = model.required<boolean>();
  readonly line = input.required<JurisdictionLine | null>();
  readonly saved = output();

  protected readonly weekdayNames = weekdayNames;
  protected readonly weekend = signal<ReadonlySet<number>>(new Set([6, 7]));
  protected readonly text = signal('');
  protected readonly busy = signal(false);
  protected readonly problem = signal<Problem | null>(null);
  private readonly lines = computed(() =>
    this.text()
      .split('\n')
      .map((line, i) => ({ no: i + 1, line, read: readHoliday(line, this.session.today()) }))
      .filter(({ line }) => line.trim() !== ''),
  );
  protected readonly holidays = computed(() => this.lines().flatMap(({ read }) => read ?? []));
  /** Numbers of the lines that are no holiday. */
  protected readonly wrong = computed(() => this.lines().flatMap(({ no, read }) => (read ? [] : [no])));
  protected readonly download = computed(() => `/api/jurisdictions/calendar?name=${encodeURIComponent(this.line()?.name ?? '')}`);

  constructor() {
    effect(() => {
      if (!this.open()) return;
      const calendar = this.line()?.calendar;
      untracked(() => {
        this.weekend.set(new Set(calendar?.weekend ?? [6, 7]));
        this.text.set(asLines(calendar?.holidays ?? []));
        this.problem.set(null);
      });
    });
  }

  protected toggle(day: number, off: boolean): void {
    this.weekend.update((days) => {
      const changed = new Set(days);
      if (off) changed.add(day);
      else changed.delete(day);
      return changed;
    });
  }

  /** Reads a calendar and puts its holidays among those that are there; nothing is stored yet. */
  protected take(chosen: HTMLInputElement): void {
    const [file] = chosen.files ?? [];
    chosen.value = '';
    if (!file) return;
    void file.text().then((ics) => {
      this.busy.set(true);
      this.problem.set(null);
      const { name } = this.line()!;
      this.api.call(schedule.setCalendar, { body: { name, weekend: [...this.weekend()], ics, dryRun: true } }).subscribe({
        next: ({ holidays }) => {
          this.busy.set(false);
          const all = new Map([...this.holidays(), ...holidays].map((h) => [h.on, h]));
          this.text.set(asLines([...all.values()].sort((a, b) => (a.on < b.on ? -1 : 1))));
        },
        error: (error: unknown) => this.fail(error),
      });
    });
  }

  protected save(): void {
    const { name } = this.line()!;
    const body = { name, weekend: [...this.weekend()].sort(), holidays: [...this.holidays()], dryRun: false };
    this.act(this.api.call(schedule.setCalendar, { body }));
  }

  protected drop(): void {
    this.act(this.api.call(schedule.dropCalendar, { body: { name: this.line()!.name } }));
  }

  private act(call: Observable<unknown>): void {
    this.busy.set(true);
    this.problem.set(null);
    call.subscribe({
      next: () => {
        this.busy.set(false);
        this.open.set(false);
        this.saved.emit();
      },
      error: (error: unknown) => this.fail(error),
    });
  }

  private fail(error: unknown): void {
    this.busy.set(false);
    this.problem.set(toProblem(error));
  }
}

const asLines = (holidays: readonly Holiday[]): string => holidays.map((h) => `${h.on} ${h.name}`).join('\n');

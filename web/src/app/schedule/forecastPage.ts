import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { plan, schedule, type EffectLine, type EffectPage, type Problem } from '@key-cellar/contract';
import { describeStep } from '@key-cellar/core/schedule';
import { Button } from 'primeng/button';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { Session } from '../identity/index';
import { Api, toProblem } from '../kit/api';
import { Choice } from '../kit/choice';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { TwoHorizons } from '../kit/twoHorizons';
import { BytesPipe, CountPipe } from '../kit/words';
import { byYear, cellsOf, forecastCsv, saveText } from './effectModel';
import { ScheduleNav } from './scheduleNav';

const yearsShown = 30;

/** What comes due in the thirty years ahead, as the schedule stands today. */
@Component({
  selector: 'kc-forecast',
  imports: [BytesPipe, Button, Choice, CountPipe, ProblemNotice, ScheduleNav, TwoHorizons],
  template: `
    <div class="page">
      <div class="page-head">
        <div>
          <h1 i18n>Thirty years ahead</h1>
          <p class="lede">
            @if (found()) {
              <ng-container i18n
                ><b>{{ total().records | count }}</b> steps come due until {{ until() }}, with <b>{{ total().bytes | bytes }}</b> of content.</ng-container
              >
            } @else if (progress(); as p) {
              <ng-container i18n>{{ p.done | count }} of {{ p.total | count }} records looked at …</ng-container>
            }
          </p>
        </div>
        <div class="acts">
          <p-button severity="secondary" [outlined]="true" [disabled]="!found()" label="Save as a table" i18n-label (onClick)="save()" />
        </div>
      </div>
      <kc-schedule-nav />
      <kc-problem [problem]="problem()" />
      @if (found()) {
        <div class="narrow">
          <kc-choice field="forecast-step" label="Step" i18n-label [labelled]="false" [options]="stepOptions()" [open]="true" placeholder="Any step" i18n-placeholder [value]="step()" (valueChange)="step.set($event)" />
          <kc-choice field="forecast-series" label="Series" i18n-label [labelled]="false" [options]="seriesOptions()" [open]="true" placeholder="Any series" i18n-placeholder [value]="series()" (valueChange)="series.set($event)" />
        </div>
        <div class="panel plot"><kc-two-horizons [years]="years()" /></div>
        <table class="frame">
          <thead>
            <tr>
              <th i18n>year</th>
              <th i18n>step</th>
              <th class="num" i18n>series</th>
              <th class="num" i18n>records</th>
              <th class="num" i18n>content</th>
            </tr>
          </thead>
          <tbody>
            @for (line of lines(); track line.year + line.step) {
              <tr>
                <td class="mono">{{ line.year }}</td>
                <td>{{ line.words }}</td>
                <td class="num">{{ line.series }}</td>
                <td class="num">{{ line.records | count }}</td>
                <td class="num">{{ line.bytes | bytes }}</td>
              </tr>
            } @empty {
              <tr>
                <td colspan="5" class="quiet" i18n>Nothing comes due in these thirty years.</td>
              </tr>
            }
          </tbody>
        </table>
      }
    </div>
  `,
  styles: `
    .narrow {
      display: flex;
      gap: 10px;
      margin-bottom: 10px;
    }
    .narrow kc-choice {
      width: 280px;
    }
    .plot {
      padding: 8px 12px;
      margin-bottom: 12px;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
}) // prettier-ignore
export class ForecastPage {
  private readonly api = inject(Api);
  private readonly session = inject(Session);
  private readonly places = loaded(() => this.api.call(plan.outline));
  protected readonly progress = signal<{ done: number; total: number } | null>(null);
  protected readonly found = signal<EffectPage | null>(null);
  protected readonly problem = signal<Problem | null>(null);
  protected readonly step = signal<string | null>(null);
  protected readonly series = signal<string | null>(null);
  private readonly first = Number(this.session.today().slice(0, 4));
  protected readonly until = signal(this.first + yearsShown);
  private readonly all = computed(() => cellsOf(this.found()));
  private readonly cells = computed(() =>
    this.all().filter((c) => (this.step() === null || c.step === this.step()) && (this.series() === null || c.series === this.series())),
  );
  protected readonly years = computed(() => byYear(this.cells(), this.first, yearsShown));
  protected readonly total = computed(() =>
    this.cells().reduce((sum, c) => ({ records: sum.records + c.records, bytes: sum.bytes + c.bytes }), { records: 0, bytes: 0 }),
  );
  protected readonly stepOptions = computed(() =>
    [...new Set((this.found()?.forecast ?? []).map((c) => c.step))].map((step) => ({ value: step, name: describeStep(step) })),
  );
  protected readonly seriesOptions = computed(() => {
    const title = new Map((this.places.value()?.places ?? []).map((p) => [p.code, p.title]));
    return [...new Set((this.found()?.forecast ?? []).map((c) => c.series))]
      .sort()
      .map((code) => ({ value: code, name: `${code} ${title.get(code) ?? ''}` }));
  });
  protected readonly lines = computed(() => {
    const lines = new Map<
      string,
      { year: number; step: string; words: string; records: number; bytes: number; in: Set<string>; series: number }
    >();
    for (const c of this.cells()) {
      const year = Number(c.month.slice(0, 4));
      const key = `${year} ${c.step}`;
      const at = lines.get(key) ?? { year, step: c.step, words: describeStep(c.step), records: 0, bytes: 0, in: new Set(), series: 0 };
      at.records += c.records;
      at.bytes += c.bytes;
      at.in.add(c.series);
      at.series = at.in.size;
      lines.set(key, at);
    }
    return [...lines.values()].sort((a, b) => a.year - b.year || (a.words < b.words ? -1 : 1));
  });

  constructor() {
    this.api
      .lines<EffectLine>(schedule.effect, { change: { kind: 'nothing' } })
      .pipe(takeUntilDestroyed())
      .subscribe({
        next: (line) => {
          if ('effect' in line) this.found.set(line.effect);
          else if ('problem' in line) this.problem.set(line.problem);
          else this.progress.set(line);
        },
        error: (error: unknown) => this.problem.set(toProblem(error)),
      });
  }

  protected save(): void {
    saveText('forecast.csv', forecastCsv(this.cells()));
  }
}

import { ChangeDetectionStrategy, Component, computed, DestroyRef, inject, signal } from '@angular/core';
import { toSignal } from '@angular/core/rxjs-interop';
import { RouterLink } from '@angular/router';
import { plan, records, schedule, type Problem } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { Tooltip } from 'primeng/tooltip';
import { Session } from '../identity/index';
import { Api, toProblem } from '../kit/api';
import { Choice } from '../kit/choice';
import { Keys } from '../kit/keys';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { Sheet } from '../kit/sheet';
import { ScheduleNav } from './scheduleNav';

type Pair = { recordType: string; seriesId: string; ruleId: string };

/** Rules for one record type in one series: nearer than any rule of the series itself. */
@Component({
  selector: 'kc-pairs',
  imports: [Button, Choice, ProblemNotice, RouterLink, ScheduleNav, Sheet, Tooltip],
  template: `
    <div class="page">
      <div class="page-head">
        <div>
          <h1 i18n>Rules by type</h1>
          <p class="lede" i18n>
            One record type in one series can follow a rule of its own. It counts before criteria, folders and the series.
          </p>
        </div>
        <div class="acts">
          @if (session.may('dispose')) {
            <p-button label="Set a rule by type" i18n-label pTooltip="n" tooltipPosition="bottom" (onClick)="begin()" />
          }
        </div>
      </div>
      <kc-schedule-nav />
      <kc-problem [problem]="page.problem()" />
      @if (!open()) {
        <kc-problem [problem]="problem()" />
      }
      @if (done(); as sentence) {
        <p role="status" class="quiet">{{ sentence }}</p>
      }
      @if (page.value(); as p) {
        @if (p.pairs.length > 0) {
          <table class="frame">
            <thead>
              <tr>
                <th i18n>record type</th>
                <th i18n>in series</th>
                <th i18n>follows</th>
                <th><span class="sr" i18n>acts</span></th>
              </tr>
            </thead>
            <tbody>
              @for (pair of p.pairs; track pair.recordType + pair.seriesId + pair.rule.id) {
                <tr>
                  <td>{{ pair.typeTitle }}</td>
                  <td>
                    <a [routerLink]="['/plan', pair.seriesId]"
                      ><code>{{ pair.code }}</code> {{ pair.title }}</a
                    >
                  </td>
                  <td>
                    <a [routerLink]="['/schedule', pair.rule.id]"
                      ><code>{{ pair.rule.code }}</code> {{ pair.rule.title }}</a
                    >
                  </td>
                  <td class="num">
                    @if (session.may('dispose')) {
                      <p-button
                        size="small"
                        severity="secondary"
                        [text]="true"
                        [disabled]="busy()"
                        label="remove"
                        i18n-label
                        ariaLabel="Remove {{ pair.rule.code }}"
                        i18n-ariaLabel
                        (onClick)="set({ recordType: pair.recordType, seriesId: pair.seriesId, ruleId: pair.rule.id }, false)"
                      />
                    }
                  </td>
                </tr>
              }
            </tbody>
          </table>
        } @else {
          <div class="empty" i18n><b>No type has a rule of its own</b>All types in a series follow the rules of the series.</div>
        }
      }
      <kc-sheet [(open)]="open" heading="Set a rule by type" i18n-heading>
        <form class="form" (submit)="$event.preventDefault(); set({ recordType: type()!, seriesId: series()!, ruleId: rule()! }, true)">
          <kc-choice
            field="pair-type"
            label="Record type"
            i18n-label
            [options]="typeOptions()"
            [value]="type()"
            (valueChange)="type.set($event)"
          />
          <kc-choice
            field="pair-series"
            label="Series"
            i18n-label
            [options]="seriesOptions()"
            [value]="series()"
            (valueChange)="series.set($event)"
          />
          <kc-choice
            field="pair-rule"
            label="Rule"
            i18n-label
            [options]="ruleOptions()"
            [value]="rule()"
            (valueChange)="rule.set($event)"
          />
          <kc-problem [problem]="problem()" />
          <p-button type="submit" [disabled]="busy() || !type() || !series() || !rule()" label="Set the rule" i18n-label />
        </form>
      </kc-sheet>
    </div>
  `,
  styles: `
    td a {
      text-decoration: none;
    }
    td a:hover {
      text-decoration: underline;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class PairsPage {
  private readonly api = inject(Api);
  protected readonly session = inject(Session);
  protected readonly page = loaded(() => this.api.call(schedule.pairs));
  private readonly rules = loaded(() => this.api.call(schedule.rules));
  private readonly places = loaded(() => this.api.call(plan.outline));
  private readonly types = toSignal(this.api.call(records.types));
  protected readonly typeOptions = computed(() => (this.types()?.types ?? []).map((t) => ({ value: t.code, name: t.title })));
  protected readonly seriesOptions = computed(() =>
    (this.places.value()?.places ?? [])
      .filter((p) => p.kind === 'series' && p.discover)
      .map((p) => ({ value: p.id, name: `${p.code} ${p.title}` })),
  );
  protected readonly ruleOptions = computed(() =>
    (this.rules.value()?.rules ?? [])
      .filter((r) => r.version !== null)
      .map((r) => ({ value: r.id, name: `${r.code} ${r.definition.title}` })),
  );
  protected readonly open = signal(false);
  protected readonly type = signal<string | null>(null);
  protected readonly series = signal<string | null>(null);
  protected readonly rule = signal<string | null>(null);
  protected readonly busy = signal(false);
  protected readonly problem = signal<Problem | null>(null);
  protected readonly done = signal('');

  constructor() {
    const remove = inject(Keys).add({ n: [$localize`set a rule by type`, () => this.session.may('dispose') && this.begin()] });
    inject(DestroyRef).onDestroy(remove);
  }

  protected begin(): void {
    this.problem.set(null);
    this.open.set(true);
  }

  protected set(body: Pair, on: boolean): void {
    this.busy.set(true);
    this.problem.set(null);
    this.api.call(on ? schedule.setPair : schedule.unsetPair, { body }).subscribe({
      next: ({ recomputed }) => {
        this.busy.set(false);
        this.open.set(false);
        this.done.set(recomputed === 1 ? $localize`One record was recalculated.` : $localize`${recomputed}:n: records were recalculated.`);
        this.page.reload();
      },
      error: (error: unknown) => {
        this.busy.set(false);
        this.problem.set(toProblem(error));
      },
    });
  }
}

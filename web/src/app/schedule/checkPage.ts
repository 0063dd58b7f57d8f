import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { RouterLink } from '@angular/router';
import { findingKinds, schedule, steps, type Finding, type Problem } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { Tooltip } from 'primeng/tooltip';
import { Session } from '../identity/index';
import { Api, toProblem } from '../kit/api';
import { JobProgress } from '../kit/jobProgress';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { CountPipe } from '../kit/words';
import { ScheduleNav } from './scheduleNav';

const heads: Record<Finding['kind'], string> = {
  seriesWithoutRule: $localize`Series without a rule`,
  typeWithoutRule: $localize`Record types without a rule`,
  ruleNeverUsed: $localize`Rules that govern nothing`,
  ruleNeverDue: $localize`Rules that can never come due`,
  disagreement: $localize`Rules of equal standing that disagree`,
  factTypeLacks: $localize`Clocks that wait for a fact that is not there`,
  jurisdictionWithoutRule: $localize`Jurisdictions without a rule`,
  nearerKeepsShorter: $localize`Nearer rules with a shorter period`,
  criteriaNeverReached: $localize`Criteria that match nothing`,
  capConflict: $localize`Laws that contradict each other`,
  workdaysUnknown: $localize`Working days without a calendar`,
  namedYearEnds: $localize`Named years without an end ahead`,
  contentUnread: $localize`Content that detectors cannot read`,
};

/** What is not right with the schedule; each line leads to where it is mended. */
@Component({
  selector: 'kc-schedule-check',
  imports: [Button, CountPipe, JobProgress, ProblemNotice, RouterLink, ScheduleNav, Tooltip],
  template: `
    <div class="page">
      <div class="page-head">
        <div>
          <h1 i18n>Check of the schedule</h1>
          @if (page.value(); as p) {
            <p class="lede">
              @if (p.findings.length === 0) {
                <ng-container i18n>Nothing is wrong: every series has a rule, and every rule can come due.</ng-container>
              } @else {
                <ng-container i18n
                  ><b>{p.findings.length, plural, =1 {One thing} other {{{ p.findings.length }} things}}</b> to look at. Each line leads to
                  where it can be corrected.</ng-container
                >
              }
            </p>
          }
        </div>
        @if (session.may('dispose')) {
          <div class="acts">
            <p-button
              severity="secondary"
              [text]="true"
              label="Try a recompute"
              i18n-label
              pTooltip="Recalculates all records and counts what would change; nothing is changed."
              i18n-pTooltip
              tooltipPosition="bottom"
              (onClick)="recompute(true)"
            />
            <p-button severity="secondary" [outlined]="true" label="Recompute all records" i18n-label (onClick)="recompute(false)" />
          </div>
        }
      </div>
      <kc-schedule-nav />
      <kc-problem [problem]="problem() ?? page.problem()" />
      @if (jobId(); as job) {
        <kc-job-progress [jobId]="job" (ended)="page.reload()" />
      }
      @for (group of groups(); track group.kind) {
        <section>
          <h2>
            {{ heads[group.kind] }} <span class="quiet">{{ group.findings.length }}</span>
          </h2>
          <ul class="panel">
            @for (finding of group.findings; track $index) {
              <li>
                <a [routerLink]="finding.path" [queryParams]="finding.query">{{ finding.sentence }}</a>
                @if (finding.records) {
                  <span class="num quiet">{{ finding.records | count }}</span>
                }
              </li>
            }
          </ul>
        </section>
      }
    </div>
  `,
  styles: `
    section {
      margin-bottom: 16px;
    }
    h2 {
      margin-bottom: 4px;
    }
    h2 span {
      font-weight: 400;
    }
    li {
      display: flex;
      justify-content: space-between;
      gap: 16px;
      border-top: 1px solid var(--line-soft);
      padding: 5px 12px;
    }
    li:first-child {
      border-top: 0;
    }
    a {
      text-decoration: none;
    }
    a:hover {
      text-decoration: underline;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class CheckPage {
  private readonly api = inject(Api);
  protected readonly heads = heads;
  protected readonly session = inject(Session);
  protected readonly page = loaded(() => this.api.call(schedule.check));
  protected readonly jobId = signal<string | null>(null);
  protected readonly problem = signal<Problem | null>(null);
  protected readonly groups = computed(() =>
    findingKinds
      .map((kind) => ({
        kind,
        findings: (this.page.value()?.findings ?? [])
          .filter((f) => f.kind === kind)
          .map((f) => {
            const [path, query] = f.link.split('?') as [string, string?];
            return { ...f, path, query: Object.fromEntries(new URLSearchParams(query ?? '')) };
          }),
      }))
      .filter((g) => g.findings.length > 0),
  );

  protected recompute(dryRun: boolean): void {
    this.problem.set(null);
    this.api.call(steps.recompute, { body: { dryRun } }).subscribe({
      next: ({ jobId }) => this.jobId.set(jobId),
      error: (error: unknown) => this.problem.set(toProblem(error)),
    });
  }
}

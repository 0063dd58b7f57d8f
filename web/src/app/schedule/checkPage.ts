import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import { RouterLink } from '@angular/router';
import { findingKinds, schedule, type Finding } from '@key-cellar/contract';
import { Api } from '../kit/api';
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
  nearerKeepsShorter: $localize`Nearer rules that keep shorter`,
  criteriaNeverReached: $localize`Criteria that match nothing`,
};

/** What is not right with the schedule; each line leads to where it is mended. */
@Component({
  selector: 'kc-schedule-check',
  imports: [CountPipe, ProblemNotice, RouterLink, ScheduleNav],
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
                  where it is mended.</ng-container
                >
              }
            </p>
          }
        </div>
      </div>
      <kc-schedule-nav />
      <kc-problem [problem]="page.problem()" />
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
  protected readonly page = loaded(() => this.api.call(schedule.check));
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
}

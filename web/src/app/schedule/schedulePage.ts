import { ChangeDetectionStrategy, Component, computed, DestroyRef, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import { schedule, type TableOutcome } from '@key-cellar/contract';
import { describeCutoff, describeTrigger } from '@key-cellar/core/schedule';
import { Button } from 'primeng/button';
import { InputText } from 'primeng/inputtext';
import { Tooltip } from 'primeng/tooltip';
import { Session } from '../identity/index';
import { Api } from '../kit/api';
import { ExportMenu } from '../kit/exportMenu';
import { Keys } from '../kit/keys';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { RuleStrip } from '../kit/ruleStrip';
import { TableImport } from '../kit/tableImport';
import { CountPipe, DayPipe, SayPipe } from '../kit/words';
import { ScheduleNav } from './scheduleNav';

/** What rules, and on what authority: each with its strip, to one scale. */
@Component({
  selector: 'kc-schedule',
  imports: [
    Button,
    CountPipe,
    DayPipe,
    ExportMenu,
    FormsModule,
    InputText,
    ProblemNotice,
    RouterLink,
    RuleStrip,
    ScheduleNav,
    TableImport,
    Tooltip,
    SayPipe,
  ],
  template: `
    <div class="page">
      <div class="page-head">
        <div>
          <h1 i18n>Schedule</h1>
          @if (page.value(); as p) {
            <p class="lede" i18n>
              <b>{{ p.rules.length }} rules</b> date <b>{{ dated() | count }} records</b>.
              {drafts(), plural, =0 {None has a draft.} =1 {One has a draft.} other {{{ drafts() }} have drafts.}}
            </p>
          }
        </div>
        <div class="acts">
          <input
            pInputText
            type="search"
            aria-label="Narrow the rules"
            i18n-aria-label
            placeholder="Code, title, authority"
            i18n-placeholder
            [ngModel]="text()"
            (ngModelChange)="text.set($event)"
          />
          <kc-export-menu address="/api/schedule/export" />
          @if (session.may('dispose')) {
            <p-button severity="secondary" [outlined]="true" label="Import …" i18n-label (onClick)="importing.set(true)" />
            <p-button label="New rule" i18n-label pTooltip="n" tooltipPosition="bottom" (onClick)="make()" />
          }
        </div>
      </div>
      <kc-schedule-nav />
      @if (done(); as sentence) {
        <p role="status" class="quiet">{{ sentence }}</p>
      }
      <kc-problem [problem]="page.problem()" />
      @if (page.value()) {
        <table class="frame">
          <thead>
            <tr>
              <th i18n>rule</th>
              <th i18n>clock</th>
              <th><ng-container i18n>to scale, forty years</ng-container></th>
              <th i18n>set on</th>
              <th class="num" i18n>records</th>
            </tr>
          </thead>
          <tbody>
            @for (rule of rules(); track rule.id) {
              <tr>
                <td>
                  <a [routerLink]="['/schedule', rule.id]"
                    ><code>{{ rule.code }}</code> <b>{{ rule.definition.title }}</b></a
                  >
                  <span class="more">
                    {{ rule.definition.authority }}
                    @if (rule.definition.jurisdictions.length) {
                      · {{ rule.definition.jurisdictions.join(', ') }}
                    }
                    @if (rule.version) {
                      · <ng-container i18n>version {{ rule.version }}</ng-container>
                      @if (rule.inForceFrom! > session.today()) {
                        <ng-container i18n> from {{ rule.inForceFrom | day }}</ng-container>
                      }
                    }
                    @if (rule.hasDraft) {
                      · <b class="draft" i18n>draft</b>
                    }
                  </span>
                </td>
                <td class="clock">
                  {{ describeTrigger(rule.definition.trigger) | say
                  }}<span class="more">{{ describeCutoff(rule.definition.cutoff) | say }}</span>
                </td>
                <td class="strip"><kc-rule-strip [rule]="rule.definition" /></td>
                <td>
                  @for (place of rule.setOn; track place.placeId) {
                    <a class="place" [routerLink]="['/plan', place.placeId]"
                      ><code>{{ place.code }}</code></a
                    >
                  } @empty {
                    <span class="quiet" i18n>nowhere</span>
                  }
                </td>
                <td class="num">{{ rule.records | count }}</td>
              </tr>
            }
          </tbody>
        </table>
        @if (rules().length === 0) {
          <div class="empty" i18n><b>No rule</b>Begin one, publish it, and set it on a series.</div>
        }
      }
      <kc-table-import [(open)]="importing" heading="Import rules" i18n-heading [endpoint]="importSchedule" (done)="imported($event)">
        <p i18n>
          One line per rule: <code>code</code>, <code>title</code>, <code>authority</code>, <code>clock</code> (such as
          <code>created</code>, <code>fact expires</code>, <code>folder closed</code>, <code>event lease ended</code>), <code>cutoff</code>,
          <code>steps</code> (such as <code>ask owner P5Y every P30D; destroy 7 years, 2 approvals, 21 days notice</code>; a name with a
          comma stands in quotes). With <code>in force from</code> it is published, without it becomes a draft.
        </p>
      </kc-table-import>
    </div>
  `,
  styles: `
    td a {
      text-decoration: none;
    }
    td a:hover {
      text-decoration: underline;
    }
    .more {
      display: block;
      color: var(--ink-2);
      font-size: 12.5px;
      line-height: 17px;
    }
    .draft {
      color: var(--brass);
    }
    .clock {
      max-width: 210px;
    }
    .strip {
      width: 276px;
    }
    .place {
      margin-inline-end: 8px;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class SchedulePage {
  private readonly api = inject(Api);
  private readonly router = inject(Router);
  protected readonly session = inject(Session);
  protected readonly page = loaded(() => this.api.call(schedule.rules));
  protected readonly text = signal('');
  protected readonly importing = signal(false);
  protected readonly importSchedule = schedule.importSchedule;
  protected readonly done = signal('');
  protected readonly describeTrigger = describeTrigger;
  protected readonly describeCutoff = describeCutoff;
  protected readonly rules = computed(() => {
    const text = this.text().trim().toLowerCase();
    return (this.page.value()?.rules ?? []).filter((r) =>
      `${r.code} ${r.definition.title} ${r.definition.authority}`.toLowerCase().includes(text),
    );
  });
  protected readonly dated = computed(() => (this.page.value()?.rules ?? []).reduce((sum, r) => sum + r.records, 0));
  protected readonly drafts = computed(() => (this.page.value()?.rules ?? []).filter((r) => r.hasDraft).length);

  constructor() {
    const remove = inject(Keys).add({ n: [$localize`new rule`, () => this.session.may('dispose') && this.make()] });
    inject(DestroyRef).onDestroy(remove);
  }

  protected imported(outcome: TableOutcome): void {
    this.done.set($localize`${outcome.changes.length}:n: changes were made, ${outcome.recomputed}:m: records are recalculated.`);
    this.page.reload();
  }

  protected make(): void {
    void this.router.navigateByUrl('/schedule/new');
  }
}

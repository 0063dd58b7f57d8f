import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { RouterLink } from '@angular/router';
import { schedule, type RulePage } from '@key-cellar/contract';
import { Api } from '../kit/api';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { YearBars, type YearBar } from '../kit/yearBars';

/** As many vintages as there is room for; older ones stand together. */
const mostVintages = 16;

/** What a rule does: what it governs by vintage, what it brings, where it is set and which rules it meets there. */
@Component({
  selector: 'kc-rule-reach',
  imports: [ProblemNotice, RouterLink, YearBars],
  template: `
    <kc-problem [problem]="reach.problem()" />
    @if (reach.value(); as r) {
      <section>
        <h2 i18n>What it governs, by vintage</h2>
        @if (vintages().length > 0) {
          <kc-year-bars [bars]="vintages()" label="Records by vintage" i18n-label />
        } @else {
          <p class="quiet" i18n>No record you may discover.</p>
        }
      </section>
      <section>
        <h2 i18n>What it brings, year by year</h2>
        @if (ahead().length > 0) {
          <kc-year-bars [bars]="ahead()" label="Due by year" i18n-label />
        } @else {
          <p class="quiet" i18n>Nothing comes due in the next ten years.</p>
        }
      </section>
      <section class="where">
        <h2 i18n>Where it is set</h2>
        <ul>
          @for (place of places(); track place.placeId) {
            <li>
              <a [routerLink]="['/plan', place.placeId]"
                ><code>{{ place.code }}</code> {{ place.title }}</a
              >
              @for (other of place.met; track other.id) {
                <span class="quiet small">
                  @if (other.how === 'beside') {
                    <ng-container i18n
                      >with <a [routerLink]="['/schedule', other.id]">{{ other.code }}</a> {{ other.title }}: the longer period
                      governs</ng-container
                    >
                  } @else {
                    <ng-container i18n
                      >before <a [routerLink]="['/schedule', other.id]">{{ other.code }}</a> {{ other.title }}, which is set farther
                      out</ng-container
                    >
                  }
                </span>
              }
            </li>
          }
          @for (pair of page().pairs; track pair.recordType + pair.seriesId) {
            <li>
              <a routerLink="/schedule/types" i18n>{{ pair.typeTitle }} in {{ pair.code }}</a>
              <span class="quiet small" i18n>ahead of rules on folders and places</span>
            </li>
          }
          @for (rule of page().criteria; track rule.id) {
            <li>
              <a routerLink="/schedule/criteria" i18n>criteria no. {{ rule.order }}</a>
              <span class="quiet small" i18n>ahead of rules on folders and places</span>
            </li>
          }
          @if (page().setOn.length + page().pairs.length + page().criteria.length === 0) {
            <li class="quiet" i18n>Nowhere that you may discover.</li>
          }
        </ul>
      </section>
    }
  `,
  styles: `
    :host {
      display: grid;
      grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
      gap: 20px 24px;
      margin-top: 20px;
    }
    .where {
      grid-column: 1 / -1;
    }
    h2 {
      margin-bottom: 8px;
    }
    ul {
      columns: 2 380px;
      column-gap: 24px;
    }
    li {
      display: grid;
      break-inside: avoid;
      padding: 5px 0;
      border-bottom: 1px dashed var(--line);
    }
    @media (max-width: 1000px) {
      :host {
        grid-template-columns: minmax(0, 1fr);
      }
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class RuleReach {
  private readonly api = inject(Api);
  readonly page = input.required<RulePage>();
  protected readonly reach = loaded(() => this.api.call(schedule.ruleReach, { params: { id: this.page().id } }));
  protected readonly places = computed(() => {
    const met = this.reach.value()?.meets ?? [];
    return this.page().setOn.map((place) => ({ ...place, met: met.filter((m) => m.place === place.code) }));
  });

  protected readonly vintages = computed<YearBar[]>(() => {
    const all = this.reach.value()?.vintages ?? [];
    const early = all.slice(0, Math.max(0, all.length - mostVintages));
    const rest = all.slice(early.length);
    const bar = (name: string, of: typeof all): YearBar => {
      const sum = (key: 'kept' | 'due' | 'held'): number => of.reduce((n, v) => n + v[key], 0);
      const [kept, due, held] = [sum('kept'), sum('due'), sum('held')];
      return {
        name,
        parts: [
          { kind: 'kept', n: kept - due - held },
          { kind: 'due', n: due },
          { kind: 'held', n: held },
        ],
        words: $localize`${name}:vintage:: ${kept}:n: kept, of them ${due}:n: due and ${held}:n: held`,
      };
    };
    return [
      ...(early.length > 0 ? [bar($localize`to ${early.at(-1)!.vintage}:year:`, early)] : []),
      ...rest.map((v) => bar(v.vintage === null ? $localize`no start` : String(v.vintage), [v])),
    ];
  });

  protected readonly ahead = computed<YearBar[]>(() => {
    const all = this.reach.value()?.ahead ?? [];
    if (all.every((y) => y.destroy + y.transfer + y.held === 0)) return [];
    return all.map(({ year, destroy, transfer, held }) => ({
      name: String(year),
      parts: [
        { kind: 'destroy', n: destroy },
        { kind: 'transfer', n: transfer },
        { kind: 'held', n: held },
      ],
      words: $localize`${year}:year:: ${destroy}:n: to destroy, ${transfer}:n: to transfer, ${held}:n: held`,
    }));
  });
}

import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import { RouterLink } from '@angular/router';
import type { BroughtLine, DateShift, ScheduleChange } from '@key-cellar/contract';
import { DateShiftWords } from '../kit/dateShift';
import { EffectView } from '../schedule/index';
import { PartChanges } from './partChanges';

/** What a stencil changes in folders that are there, and what stays because people changed it. */
@Component({
  selector: 'kc-brought-list',
  imports: [DateShiftWords, EffectView, PartChanges, RouterLink],
  template: `
    <p role="status">
      @if (done()) {
        <ng-container i18n
          ><b>{{ counts().done }}</b> updated, <b>{{ counts().refused }}</b> refused.</ng-container
        >
      } @else {
        <ng-container i18n
          ><b>{{ counts().done }}</b> would change, <b>{{ counts().refused }}</b> cannot.</ng-container
        >
      }
    </p>
    <ul>
      @for (line of lines(); track line.placeId) {
        <li>
          <a [routerLink]="['/plan', line.placeId]">{{ line.name }}</a>
          @if (line.outcome === 'refused') {
            <span class="madder">{{ line.why }}</span>
          } @else if (line.outcome === 'skipped') {
            <span class="quiet">{{ line.why }}</span>
          }
          <kc-part-changes [changes]="line.changes" />
          @for (words of line.kept; track words) {
            <span class="quiet"><ng-container i18n>stays</ng-container> · {{ words }}</span>
          }
        </li>
      }
    </ul>
    @if (dates(); as shift) {
      <section aria-label="What it does to due dates" i18n-aria-label>
        <h3 i18n>What it does to due dates</h3>
        <kc-date-shift [shift]="shift" />
        @if (ruleChange(); as change) {
          <kc-effect [change]="change" />
        }
      </section>
    }
  `,
  styles: `
    ul {
      max-height: 420px;
      overflow: auto;
    }
    li {
      display: grid;
      padding: 5px 0;
      border-top: 1px solid var(--line-soft);
    }
    a {
      font-weight: 600;
      text-decoration: none;
    }
    a:hover {
      text-decoration: underline;
    }
    section {
      margin-top: 12px;
    }
    h3 {
      font-size: 14px;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class BroughtList {
  readonly lines = input.required<readonly BroughtLine[]>();
  readonly done = input(false);
  /** The rules that come or go, as one change of the schedule; nothing once it was carried out. */
  protected readonly ruleChange = computed<ScheduleChange | null>(() => {
    const sets = this.lines().flatMap((l) => l.rules);
    return this.done() || sets.length === 0 ? null : { kind: 'setRules', sets };
  });
  /** How due dates move in all folders; nothing where none follows from what changes. */
  protected readonly dates = computed<DateShift | null>(() => {
    const all = this.lines().flatMap((line) => line.dates ?? []);
    if (this.done() || all.length === 0) return null;
    const sum = (part: keyof DateShift): number => all.reduce((n, one) => n + one[part], 0);
    return { of: sum('of'), looked: sum('looked'), earlier: sum('earlier'), later: sum('later'), first: sum('first'), none: sum('none') };
  });
  protected readonly counts = computed(() => ({
    done: this.lines().filter((l) => l.outcome === 'done').length,
    refused: this.lines().filter((l) => l.outcome === 'refused').length,
  }));
}

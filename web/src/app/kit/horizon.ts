import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import { RouterLink } from '@angular/router';
import type { HorizonBar } from '@key-cellar/contract';
import { max, scaleLinear } from 'd3';
import { monthWords } from './words';

/** What comes due in each month ahead, by what happens; what is held is dotted. */
@Component({
  selector: 'kc-horizon',
  imports: [RouterLink],
  template: `
    <div class="plot" role="list" aria-label="Due in each month" i18n-aria-label>
      @for (bar of bars(); track bar.month) {
        <a
          role="listitem"
          class="bar"
          [routerLink]="['/find']"
          [queryParams]="{ sort: 'due' }"
          [attr.aria-label]="bar.words"
          [title]="bar.words"
        >
          <span class="total" [class.none]="bar.total === 0">{{ bar.label }}</span>
          <i class="fill-held" [style.height.px]="bar.held"></i>
          <i class="transfer" [style.height.px]="bar.transfer"></i>
          <i class="destroy" [style.height.px]="bar.destroy"></i>
          <span class="month">{{ bar.letter }}</span>
          <span class="year">{{ bar.year }}</span>
        </a>
      }
    </div>
  `,
  styles: `
    :host {
      display: block;
    }
    .plot {
      display: grid;
      grid-auto-flow: column;
      grid-auto-columns: minmax(0, 1fr);
      height: 152px;
      padding: 6px 10px 0;
    }
    .bar {
      display: flex;
      flex-direction: column;
      align-items: center;
      justify-content: flex-end;
      text-decoration: none;
      color: var(--ink);
      position: relative;
    }
    .bar:hover {
      background: var(--head);
    }
    i {
      width: min(30px, 74%);
    }
    .destroy {
      background: var(--madder);
    }
    .transfer {
      background: var(--slate);
    }
    .total {
      font-size: 12.5px;
      line-height: 18px;
    }
    .total.none {
      visibility: hidden;
    }
    .month {
      align-self: stretch;
      text-align: center;
      border-top: 1px solid var(--ink);
      font-size: 12px;
      line-height: 17px;
      color: var(--ink-2);
    }
    .year {
      font-size: 12px;
      line-height: 16px;
      height: 18px;
      font-weight: 700;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class Horizon {
  readonly months = input.required<readonly HorizonBar[]>();
  protected readonly bars = computed(() => {
    const months = this.months();
    const total = (b: HorizonBar): number => b.destroy + b.transfer + b.held;
    const height = scaleLinear([0, max(months, total) || 1], [0, 84]);
    const seen = (n: number): number => (n === 0 ? 0 : Math.max(2, height(n)));
    return months.map((b, i) => {
      const name = monthWords(b.month);
      return {
        month: b.month,
        letter: name.charAt(0),
        year: i === 0 || b.month.endsWith('-01') ? b.month.slice(0, 4) : '',
        total: total(b),
        label: total(b) > 0 ? String(total(b)) : '0',
        destroy: seen(b.destroy),
        transfer: seen(b.transfer),
        held: seen(b.held),
        words: $localize`${name}:month:: ${b.destroy}:n: to destroy, ${b.transfer}:n: to transfer, ${b.held}:n: held`,
      };
    });
  });
}

import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import { max, scaleLinear } from 'd3';
import { countWords } from './words';

/** One year, in parts that stand on each other: the first part below. */
export interface YearBar {
  readonly name: string;
  readonly parts: readonly { readonly kind: 'kept' | 'due' | 'destroy' | 'transfer' | 'held'; readonly n: number }[];
  /** The same in words. */
  readonly words: string;
}

const plotHeight = 84;

/** Records by year, by what they are. */
@Component({
  selector: 'kc-year-bars',
  template: `
    <ol [attr.aria-label]="label()">
      @for (bar of drawn(); track bar.name) {
        <li [title]="bar.words">
          <span class="said">{{ bar.words }}</span>
          <span class="total" aria-hidden="true">{{ bar.total }}</span>
          @for (part of bar.parts; track part.kind) {
            <i [class]="part.kind" [class.fill-held]="part.kind === 'held'" [style.height.px]="part.height"></i>
          }
          <span class="name" aria-hidden="true">{{ bar.name }}</span>
        </li>
      }
    </ol>
  `,
  styles: `
    ol {
      display: grid;
      grid-auto-flow: column;
      grid-auto-columns: minmax(0, 64px);
      height: 124px;
    }
    li {
      position: relative;
      display: flex;
      flex-direction: column-reverse;
      align-items: center;
    }
    i {
      width: min(30px, 74%);
    }
    .kept {
      background: var(--kept);
    }
    .due,
    .destroy {
      background: var(--madder);
    }
    .transfer {
      background: var(--slate);
    }
    .total {
      order: 1;
      font-size: 12px;
      line-height: 18px;
    }
    .name {
      order: -1;
      align-self: stretch;
      text-align: center;
      border-top: 1px solid var(--ink);
      font-size: 12px;
      line-height: 18px;
      color: var(--ink-2);
      white-space: nowrap;
    }
    .said {
      position: absolute;
      width: 1px;
      height: 1px;
      overflow: hidden;
      clip-path: inset(50%);
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class YearBars {
  readonly bars = input.required<readonly YearBar[]>();
  readonly label = input.required<string>();
  protected readonly drawn = computed(() => {
    const total = (bar: YearBar): number => bar.parts.reduce((sum, p) => sum + p.n, 0);
    const height = scaleLinear([0, max(this.bars(), total) || 1], [0, plotHeight]);
    return this.bars().map((bar) => ({
      ...bar,
      total: total(bar) === 0 ? '' : countWords(total(bar)),
      parts: bar.parts.map((p) => ({ kind: p.kind, height: p.n === 0 ? 0 : Math.max(2, height(p.n)) })),
    }));
  });
}

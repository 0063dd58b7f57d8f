import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import { max, scaleBand, scaleLinear } from 'd3';

/** What is due in one year, as it stands and as it would be. */
export interface YearAhead {
  readonly year: number;
  readonly before: number;
  readonly after: number;
  /** Of `before`: to be destroyed, and to be transferred; the rest are other steps. */
  readonly destroy: number;
  readonly transfer: number;
}

const height = 150;
const foot = 20;
const head = 14;

/** The parts of a bar from the ground up. */
function stack({ before, destroy, transfer }: YearAhead): { fill: string; from: number; until: number }[] {
  return [
    { fill: 'destroy', from: 0, until: destroy },
    { fill: 'transfer', from: destroy, until: destroy + transfer },
    { fill: 'other', from: destroy + transfer, until: before },
  ].filter((part) => part.until > part.from);
}

/** Years ahead with two outlines: what comes due as things stand, and what would with a change. */
@Component({
  selector: 'kc-two-horizons',
  template: `
    <svg [attr.viewBox]="'0 0 ' + width() + ' ' + height" role="img" [attr.aria-label]="words()">
      @for (bar of bars(); track bar.year) {
        <g>
          <title>{{ bar.words }}</title>
          <rect class="hit" [attr.x]="bar.x" y="0" [attr.width]="bar.width" [attr.height]="height - foot" />
          @for (part of bar.parts; track part.fill) {
            <rect
              [attr.class]="part.fill"
              [attr.x]="bar.x + 1"
              [attr.y]="part.y"
              [attr.width]="bar.width - 2"
              [attr.height]="part.height"
            />
          }
          @if (bar.label) {
            <text [attr.x]="bar.labelAt" [attr.class]="bar.anchor" [attr.y]="height - 5">{{ bar.label }}</text>
          }
        </g>
      }
      @if (changes()) {
        <path class="outline" [attr.d]="outline()" />
      }
      <line class="ground" x1="0" [attr.x2]="width()" [attr.y1]="floor" [attr.y2]="floor" />
      <text class="most" x="4" y="11">{{ most() }}</text>
    </svg>
    <p class="legend">
      <span><i class="key-destroy"></i><ng-container i18n>destroyed</ng-container></span>
      <span><i class="key-transfer"></i><ng-container i18n>transferred</ng-container></span>
      <span><i class="key-other"></i><ng-container i18n>other steps</ng-container></span>
      @if (changes()) {
        <span><i class="key-after"></i><ng-container i18n>all, with the change</ng-container></span>
      }
    </p>
  `,
  styles: `
    :host {
      display: block;
    }
    svg {
      display: block;
      width: 100%;
      height: auto;
    }
    .hit {
      fill: transparent;
    }
    g:hover .hit {
      fill: var(--head);
    }
    .destroy {
      fill: var(--madder);
    }
    .transfer {
      fill: var(--slate);
    }
    .other {
      fill: var(--kept);
    }
    .outline {
      fill: none;
      stroke: var(--brass);
      stroke-width: 2.4;
    }
    .ground {
      stroke: var(--ink);
    }
    text {
      font-size: 12px;
      fill: var(--ink-2);
      text-anchor: middle;
    }
    .most,
    .start {
      text-anchor: start;
    }
    .end {
      text-anchor: end;
    }
    .key-destroy {
      background: var(--madder);
    }
    .key-transfer {
      background: var(--slate);
    }
    .key-other {
      background: var(--kept);
    }
    .key-after {
      border-top: 3px solid var(--brass);
      height: 3px;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class TwoHorizons {
  readonly years = input.required<readonly YearAhead[]>();
  /** Width of the drawing, about as wide as it is shown: then its letters are as large as the others. */
  readonly width = input(1000);
  protected readonly height = height;
  protected readonly foot = foot;
  protected readonly floor = height - foot;
  protected readonly changes = computed(() => this.years().some((y) => y.before !== y.after));
  private readonly peak = computed(() => max(this.years(), (y) => Math.max(y.before, y.after)) ?? 0);
  protected readonly most = computed(() => $localize`most in a year: ${this.peak().toLocaleString('en')}:n:`);
  protected readonly bars = computed(() => {
    const years = this.years();
    const x = scaleBand(
      years.map((y) => y.year),
      [0, this.width()],
    );
    const y = scaleLinear([0, this.peak() || 1], [this.floor, head]);
    const every = years.length > 20 ? 5 : 1;
    return years.map((at, i) => ({
      year: at.year,
      x: x(at.year)!,
      width: x.bandwidth(),
      after: y(at.after),
      parts: stack(at).map((part) => ({ fill: part.fill, y: y(part.until), height: y(part.from) - y(part.until) })),
      // At the edges a year stands inside the picture.
      anchor: i === 0 ? 'start' : i === years.length - 1 ? 'end' : null,
      labelAt: i === 0 ? 0 : i === years.length - 1 ? this.width() : x(at.year)! + x.bandwidth() / 2,
      label: i === 0 || at.year % every === 0 ? String(at.year) : '',
      words: at.before === at.after ? $localize`${at.year}:year:: ${at.before}:n:` : $localize`${at.year}:year:: ${at.before}:n: as it stands, ${at.after}:m: with the change`, // prettier-ignore
    }));
  });
  /** The outline with the change, as steps over the years. */
  protected readonly outline = computed(() => {
    const bars = this.bars();
    if (bars.length === 0) return '';
    const steps = bars.map((b) => `L${b.x},${b.after} L${b.x + b.width},${b.after}`).join(' ');
    return `M${bars[0]!.x},${this.floor} ${steps} L${this.width()},${this.floor}`;
  });
  protected readonly words = computed(() => $localize`Due by year: ${this.bars().map((b) => b.words).join('; ')}:list:`); // prettier-ignore
}

import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import { max, scaleBand, scaleLinear } from 'd3';
import { countWords } from './words';

/** What is due in a year or a month, as it stands and as it would be. */
export interface Ahead {
  /** Such as 2026 or 2026-03. */
  readonly name: string;
  /** Written below its bar: the year, or the name of the month. */
  readonly label: string;
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
function stack({ before, destroy, transfer }: Ahead): { fill: string; from: number; until: number }[] {
  return [
    { fill: 'destroy', from: 0, until: destroy },
    { fill: 'transfer', from: destroy, until: destroy + transfer },
    { fill: 'other', from: destroy + transfer, until: before },
  ].filter((part) => part.until > part.from);
}

/** Years or months ahead with two outlines: what comes due as things stand, and what would with a change. */
@Component({
  selector: 'kc-two-horizons',
  template: `
    <svg [attr.viewBox]="'0 0 ' + width() + ' ' + height" role="img" [attr.aria-label]="words()">
      @for (bar of shown(); track bar.name) {
        <g [class.pickable]="pickable()" (click)="pickable() && picked.emit(bar.name)">
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
    .pickable {
      cursor: pointer;
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
  readonly bars = input.required<readonly Ahead[]>();
  /** Can one be chosen with the mouse? The page has another way for those who have none. */
  readonly pickable = input(false);
  readonly picked = output<string>();
  /** Width of the drawing, about as wide as it is shown: then its letters are as large as the others. */
  readonly width = input(1000);
  protected readonly height = height;
  protected readonly foot = foot;
  protected readonly floor = height - foot;
  protected readonly changes = computed(() => this.bars().some((b) => b.before !== b.after));
  private readonly peak = computed(() => max(this.bars(), (b) => Math.max(b.before, b.after)) ?? 0);
  private readonly ofMonths = computed(() => this.bars()[0]?.name.includes('-') ?? false);
  protected readonly most = computed(() =>
    this.ofMonths() ? $localize`most in a month: ${countWords(this.peak())}:n:` : $localize`most in a year: ${countWords(this.peak())}:n:`,
  );
  protected readonly shown = computed(() => {
    const bars = this.bars();
    const x = scaleBand(
      bars.map((b) => b.name),
      [0, this.width()],
    );
    const y = scaleLinear([0, this.peak() || 1], [this.floor, head]);
    const sparse = bars.length > 20;
    return bars.map((at, i) => {
      // At the edges a year stands inside the picture; the twelve months of a year have room below themselves.
      const edge = !sparse ? null : i === 0 ? 'start' : i === bars.length - 1 ? 'end' : null;
      const left = x(at.name)!;
      return {
        name: at.name,
        x: left,
        width: x.bandwidth(),
        after: y(at.after),
        parts: stack(at).map((part) => ({ fill: part.fill, y: y(part.until), height: y(part.from) - y(part.until) })),
        anchor: edge,
        labelAt: edge === 'start' ? 0 : edge === 'end' ? this.width() : left + x.bandwidth() / 2,
        label: !sparse || i === 0 || Number(at.label) % 5 === 0 ? at.label : '',
        words:
          at.before === at.after
            ? $localize`${at.name}:name:: ${at.before}:n:`
            : $localize`${at.name}:name:: ${at.before}:n: as it stands, ${at.after}:m: with the change`,
      };
    });
  });
  /** The outline with the change, as steps over the years. */
  protected readonly outline = computed(() => {
    const bars = this.shown();
    if (bars.length === 0) return '';
    const steps = bars.map((b) => `L${b.x},${b.after} L${b.x + b.width},${b.after}`).join(' ');
    return `M${bars[0]!.x},${this.floor} ${steps} L${this.width()},${this.floor}`;
  });
  protected readonly words = computed(
    () =>
      $localize`Due: ${this.shown()
        .map((b) => b.words)
        .join('; ')}:list:`,
  );
}

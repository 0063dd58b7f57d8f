import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import { parsePeriod } from '@key-cellar/core/calendar';
import { describeCutoff, describeStep, describeStepTime, describeTrigger, partsOf } from '@key-cellar/core/schedule';
import type { RuleDefinition } from '@key-cellar/contract';
import { scaleSqrt } from 'd3';
import { say } from '../../words/say';

/** Years of a period, near enough to draw it to scale. */
function years(period: string): number {
  const p = parsePeriod(period);
  return p ? p.years + p.months / 12 + p.weeks / 52 + p.days / 365 : 0;
}

/** A rule to scale: its trigger, the roll of its cutoff, its steps. Forty years fill the strip. */
@Component({
  selector: 'kc-rule-strip',
  template: `
    @let p = picture();
    <svg role="img" [attr.aria-label]="words()" width="260" height="24" viewBox="0 0 260 24">
      <title>{{ words() }}</title>
      @if (p.waits) {
        <circle cx="9" cy="12" r="5.4" class="waits" />
      } @else {
        <line x1="9" x2="9" y1="5" y2="19" class="start" />
      }
      @if (p.roll) {
        <path [attr.d]="'M9 12 H' + p.start" class="roll" />
        <path [attr.transform]="'translate(' + p.start + ' 12)'" d="M0 -7 L4 0 L0 7 Z" class="notch" />
      }
      <rect [attr.x]="p.start" y="8" [attr.width]="p.end - p.start" height="8" [class]="p.permanent ? 'band permanent' : 'band'" />
      @for (step of p.steps; track $index) {
        <g [attr.transform]="'translate(' + step.x + ' 12)'" [class]="'step ' + step.kind">
          @switch (step.kind) {
            @case ('destroy') {
              <path d="M0 -7 L7 0 L0 7 L-7 0 Z" />
            }
            @case ('transfer') {
              <path d="M-6 -6 H2 L7 0 L2 6 H-6 Z" />
            }
            @default {
              <path d="M0 -5 L5 0 L0 5 L-5 0 Z" />
            }
          }
        </g>
      }
      @if (p.permanent) {
        <path d="M252 5 L258 12 L252 19" class="forever" />
      }
    </svg>
  `,
  styles: `
    svg {
      display: block;
    }
    .start {
      stroke: var(--ink);
      stroke-width: 2;
    }
    .waits {
      fill: none;
      stroke: var(--ash);
      stroke-width: 1.8;
      stroke-dasharray: 2.6 1.8;
    }
    .roll {
      stroke: var(--ink);
      stroke-width: 1.2;
      stroke-dasharray: 2 2;
    }
    .notch {
      fill: var(--ink);
    }
    .band {
      fill: var(--kept);
    }
    .band.permanent {
      fill: var(--slate);
    }
    .forever {
      fill: none;
      stroke: var(--slate);
      stroke-width: 2.5;
    }
    .step path {
      fill: var(--surface);
      stroke: var(--ink);
      stroke-width: 1.5;
    }
    .step.destroy path {
      fill: var(--madder);
      stroke: none;
    }
    .step.transfer path {
      fill: var(--slate);
      stroke: none;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class RuleStrip {
  readonly rule = input.required<Pick<RuleDefinition, 'trigger' | 'cutoff' | 'steps'>>();

  protected readonly words = computed(() => {
    const rule = this.rule();
    const steps = rule.steps.map((s) => `${say(describeStep(s.kind))} ${say(describeStepTime(s))}`);
    return [describeTrigger(rule.trigger), describeCutoff(rule.cutoff)]
      .flatMap((said) => (said ? [say(said)] : []))
      .concat(steps)
      .join(', ');
  });

  protected readonly picture = computed(() => {
    const rule = this.rule();
    const roll = rule.cutoff.kind !== 'none' && rule.trigger.kind !== 'never';
    const start = roll ? 24 : 16;
    // Square root: ninety days and forty years fit on one strip and can still be told apart.
    const x = scaleSqrt([0, 40], [start, 246]).clamp(true);
    const permanent = rule.trigger.kind === 'never' || rule.steps.some((s) => s.kind === 'keepPermanently');
    let elapsed = 0;
    const steps = rule.steps
      .filter((s) => s.kind !== 'keepPermanently')
      .map((s) => {
        // What lies before its date stands at the trigger: the strip begins there.
        if (s.from === 'beforeTrigger') return { kind: s.kind, x: 9 };
        elapsed = s.from === 'previousStep' ? elapsed + years(s.after) : years(s.after);
        return { kind: s.kind, x: x(elapsed) };
      });
    return {
      roll,
      start,
      permanent,
      waits: partsOf(rule.trigger).some((p) => ['event', 'folderClosed', 'unreferenced'].includes(p.trigger.kind)),
      end: permanent ? 252 : Math.max(start, ...steps.map((s) => s.x)),
      steps,
    };
  });
}

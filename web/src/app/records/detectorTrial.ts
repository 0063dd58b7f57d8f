import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { RouterLink } from '@angular/router';
import { setup, type DetectorTrial as Trial, type Problem } from '@key-cellar/contract';
import type { Sign } from '@key-cellar/core/criteria';
import { Button } from 'primeng/button';
import { Api, toProblem } from '../kit/api';
import { ProblemNotice } from '../kit/notice';
import { TextField } from '../kit/textField';
import { CountPipe } from '../kit/words';

const byLot = 50;

/** Tries signs on records, before all are looked at with them: on those named, and on some by lot. */
@Component({
  selector: 'kc-detector-trial',
  imports: [Button, CountPipe, ProblemNotice, RouterLink, TextField],
  template: `
    <kc-text-field
      field="detector-numbers"
      label="Try it on records"
      i18n-label
      hint="Numbers, with commas between. Besides, {{ byLot }} records chosen at random are scanned."
      i18n-hint
      [mono]="true"
      [maxlength]="4000"
      [value]="numbers()"
      (valueChange)="numbers.set($event)"
    />
    <p-button
      size="small"
      severity="secondary"
      [outlined]="true"
      [disabled]="busy() || !ready()"
      label="Try it on records"
      i18n-label
      (onClick)="look()"
    />
    <kc-problem [problem]="problem()" />
    @if (trial(); as t) {
      <div role="status">
        @if (t.looked > 0) {
          <p i18n>
            <b>{{ t.some.length | count }}</b> of {{ t.looked | count }} records chosen at random match: of all {{ t.of | count }}, about
            <b>{{ expected() | count }}</b>.
          </p>
        }
        <ul>
          @for (r of shown(); track r.id) {
            <li>
              <a [routerLink]="['/records', r.id]"
                ><code>{{ r.number }}</code> {{ r.title }}</a
              >
              <span [class.quiet]="!r.met">{{ r.met ? labels.matches : labels.not }}</span>
              @for (why of r.unread; track why) {
                <span class="madder small">{{ why }}</span>
              }
            </li>
          }
        </ul>
      </div>
    }
  `,
  styles: `
    :host {
      display: grid;
      gap: 6px;
      justify-items: start;
    }
    kc-text-field,
    div {
      justify-self: stretch;
    }
    ul {
      max-height: 220px;
      overflow: auto;
    }
    li {
      display: flex;
      flex-wrap: wrap;
      justify-content: space-between;
      gap: 0 12px;
      padding: 3px 0;
      border-top: 1px solid var(--line-soft);
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class DetectorTrial {
  protected readonly labels = { matches: $localize`matches`, not: $localize`does not match` };
  protected readonly byLot = byLot;
  private readonly api = inject(Api);
  readonly signs = input.required<readonly Sign[]>();
  /** Whether there is nothing wrong with them. */
  readonly ready = input.required<boolean>();
  protected readonly numbers = signal('');
  protected readonly trial = signal<Trial | null>(null);
  protected readonly busy = signal(false);
  protected readonly problem = signal<Problem | null>(null);
  protected readonly shown = computed(() => {
    const t = this.trial();
    if (!t) return [];
    const named = new Set(t.chosen.map((r) => r.id));
    return [...t.chosen, ...t.some.filter((r) => !named.has(r.id))];
  });
  protected readonly expected = computed(() => {
    const t = this.trial();
    return t && t.looked > 0 ? Math.round((t.some.length * t.of) / t.looked) : 0;
  });

  constructor() {
    effect(() => {
      this.signs();
      // What other signs found does not hold for these.
      untracked(() => {
        this.trial.set(null);
        this.problem.set(null);
      });
    });
  }

  protected look(): void {
    const signs = this.signs();
    const numbers = this.numbers()
      .split(/[,;\n]+/)
      .map((n) => n.trim())
      .filter(Boolean)
      .slice(0, 50);
    this.busy.set(true);
    this.problem.set(null);
    this.api.call(setup.tryDetector, { body: { signs: signs as never, numbers, some: byLot } }).subscribe({
      next: (trial) => {
        this.busy.set(false);
        if (signs === this.signs()) this.trial.set(trial);
      },
      error: (error: unknown) => {
        this.busy.set(false);
        this.problem.set(toProblem(error));
      },
    });
  }
}

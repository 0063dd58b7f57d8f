import { ChangeDetectionStrategy, Component, computed, DestroyRef, inject, output, signal } from '@angular/core';
import { ledger, type LedgerFinding, type LedgerReport, type Problem, type VerifyLine } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import type { Subscription } from 'rxjs';
import { Api, toProblem } from '../kit/api';
import { ProblemNotice } from '../kit/notice';
import { CountPipe } from '../kit/words';

/** Has everything verified, shows how far that is, and what was found. Leaving it, or cancelling, ends the work on the server. */
@Component({
  selector: 'kc-verification',
  imports: [Button, CountPipe, ProblemNotice],
  template: `
    @if (progress(); as p) {
      <div class="panel run" role="status">
        <span i18n>Verifying: {{ p.done | count }} of {{ p.total | count }} entries</span>
        <progress [value]="p.done" [max]="p.total || 1" aria-label="Entries verified" i18n-aria-label></progress>
        <p-button size="small" severity="secondary" [outlined]="true" label="Stop" i18n-label (onClick)="stop()" />
      </div>
    }
    <kc-problem [problem]="problem()" />
    @if (report(); as r) {
      <div class="panel verdict" role="status" [class.bad]="!r.ok" [class.part]="r.ok && r.unchecked.length > 0">
        <b>{{ r.sentence }}</b>
        <p class="small quiet" i18n>
          Looked at: entries {{ r.checked.entries | count }} · tree heads {{ r.checked.heads | count }} · cosignatures
          {{ r.checked.cosigned | count }} · time stamps {{ r.checked.stamped | count }} · heads in the witness’s file
          {{ r.checked.seen | count }}
        </p>
        @if (r.findings.length > 0) {
          <ol>
            @for (finding of r.findings; track $index) {
              <li>
                @if (where(finding); as place) {
                  <span class="mono">{{ place }}</span>
                }
                {{ finding.sentence }}
              </li>
            }
          </ol>
        }
        @for (sentence of r.unchecked; track sentence) {
          <p class="small">{{ sentence }}</p>
        }
      </div>
    }
  `,
  styles: `
    .run {
      display: grid;
      grid-template-columns: 290px 1fr auto;
      gap: 14px;
      align-items: center;
      padding: 8px 14px;
      margin-bottom: 12px;
      font-variant-numeric: tabular-nums;
    }
    progress {
      width: 100%;
      accent-color: var(--kept-strong);
    }
    .verdict {
      padding: 10px 14px;
      margin-bottom: 12px;
      border-inline-start: 4px solid var(--kept-strong);
    }
    .verdict.part {
      border-inline-start-color: var(--ink-2);
    }
    .verdict.bad {
      border-inline-start-color: var(--madder);
    }
    .verdict p {
      margin: 4px 0 0;
    }
    .verdict ol {
      margin: 6px 0 0;
      max-height: 260px;
      overflow: auto;
    }
    .verdict.bad li {
      padding: 2px 0;
      color: var(--madder);
    }
    li .mono {
      margin-inline-end: 8px;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class Verification {
  private readonly api = inject(Api);
  /** A report came, and its entry is in the ledger. */
  readonly ended = output();

  protected readonly progress = signal<{ done: number; total: number } | null>(null);
  protected readonly report = signal<LedgerReport | null>(null);
  protected readonly problem = signal<Problem | null>(null);
  readonly running = computed(() => this.progress() !== null);
  private asking: Subscription | undefined;

  constructor() {
    inject(DestroyRef).onDestroy(() => this.asking?.unsubscribe());
  }

  /** Begins anew. */
  start(): void {
    this.stop();
    this.report.set(null);
    this.problem.set(null);
    this.progress.set({ done: 0, total: 0 });
    this.asking = this.api.lines<VerifyLine>(ledger.verify, {}).subscribe({
      next: (line) => {
        if ('problem' in line) this.problem.set(line.problem);
        else if ('report' in line) {
          this.report.set(line.report);
          this.ended.emit();
        } else this.progress.set(line);
      },
      error: (error: unknown) => {
        this.progress.set(null);
        this.problem.set(toProblem(error));
      },
      complete: () => this.progress.set(null),
    });
  }

  protected stop(): void {
    this.asking?.unsubscribe();
    this.progress.set(null);
  }

  protected where({ what, place, seq }: LedgerFinding): string {
    const leaf = what === 'entry' && place ? $localize`leaf ${place}` : '';
    return [seq === undefined ? '' : $localize`entry ${seq}`, leaf].filter(Boolean).join(', ');
  }
}

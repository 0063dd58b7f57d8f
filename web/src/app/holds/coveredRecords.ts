import { ChangeDetectionStrategy, Component, computed, inject, input, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { RouterLink } from '@angular/router';
import { holds, type HoldPage, type Problem } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { Api, toProblem } from '../kit/api';
import { ProblemNotice } from '../kit/notice';
import { ResultList, type ResultLine } from '../kit/resultList';
import { Sheet } from '../kit/sheet';
import { CountPipe, DayPipe } from '../kit/words';
import { LongTextField } from '../kit/longTextField';

type Covered = HoldPage['records'][number];

/** What a hold covers and what was let out of it; those who may let out mark records and say why. */
@Component({
  selector: 'kc-covered-records',
  imports: [LongTextField, Button, CountPipe, DayPipe, FormsModule, ProblemNotice, ResultList, RouterLink, Sheet],
  templateUrl: './coveredRecords.html',
  styles: `
    .nowrap {
      white-space: nowrap;
    }
    .tick {
      width: 28px;
    }
    .rec a {
      text-decoration: none;
    }
    .rec a:hover {
      text-decoration: underline;
    }
    tr.out {
      color: var(--ink-2);
      text-decoration: line-through;
    }
    .bar {
      display: flex;
      align-items: center;
      gap: 8px;
      padding: 6px 12px;
      background: var(--brass-wash);
      border: 1px solid var(--line);
      border-bottom: 0;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class CoveredRecords {
  private readonly api = inject(Api);
  readonly holdId = input.required<string>();
  readonly records = input.required<readonly Covered[]>();
  /** Whether it is open and has criteria, so that more may come. */
  readonly takesMore = input(false);
  readonly mayLetOut = input.required<boolean>();
  readonly changed = output();

  protected readonly marked = signal<ReadonlySet<string>>(new Set());
  protected readonly open = signal(false);
  protected readonly reason = signal('');
  protected readonly busy = signal(false);
  protected readonly problem = signal<Problem | null>(null);
  protected readonly results = signal<readonly ResultLine[] | null>(null);
  protected readonly inside = computed(() => this.records().filter((r) => !r.released));
  protected readonly any = computed(() => this.mayLetOut() && this.inside().length > 0);
  protected readonly all = computed(() => this.inside().every((r) => this.marked().has(r.id)));
  protected readonly button = computed(() =>
    this.marked().size === 1
      ? $localize`Remove one record from the hold`
      : $localize`Remove ${this.marked().size}:n: records from the hold`,
  );

  protected toggle(id: string): void {
    const marked = new Set(this.marked());
    if (!marked.delete(id)) marked.add(id);
    this.marked.set(marked);
  }

  protected markAll(): void {
    this.marked.set(new Set(this.all() ? [] : this.inside().map((r) => r.id)));
  }

  protected ask(): void {
    this.reason.set('');
    this.problem.set(null);
    this.results.set(null);
    this.open.set(true);
  }

  protected letOut(): void {
    this.busy.set(true);
    this.problem.set(null);
    this.api
      .call(holds.letOut, { params: { id: this.holdId() }, body: { recordIds: [...this.marked()], reason: this.reason() } })
      .subscribe({
        next: ({ results }) => {
          this.busy.set(false);
          this.results.set(results.map((r) => ({ ...r, link: ['/records', r.id] })));
          this.marked.set(new Set());
          this.changed.emit();
        },
        error: (error: unknown) => {
          this.busy.set(false);
          this.problem.set(toProblem(error));
        },
      });
  }
}

import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import { type BatchLine, docket, type DueGroup, type Problem } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { Session } from '../identity/index';
import { Api, toProblem } from '../kit/api';
import { Gates } from '../kit/gates';
import { JobProgress } from '../kit/jobProgress';
import { loaded } from '../kit/loaded';
import { Mark } from '../kit/mark';
import { ProblemNotice } from '../kit/notice';
import { Sheet } from '../kit/sheet';
import { CountPipe, DayPipe } from '../kit/words';
import { NumberField } from '../kit/numberField';
import { SweepSheet } from './sweepSheet';

const actNames: Record<BatchLine['acts'][number], string> = {
  announce: $localize`Announce`,
  approve: $localize`Decide`,
  reject: $localize`Decide`,
  execute: $localize`Execute`,
  confirm: $localize`Confirm`,
  object: $localize`Open`,
  withdraw: $localize`Open`,
};

/** What is due, and how far is each batch? */
@Component({
  selector: 'kc-docket',
  imports: [NumberField, Button, CountPipe, DayPipe, FormsModule, Gates, JobProgress, Mark, ProblemNotice, RouterLink, Sheet, SweepSheet],
  templateUrl: './docketPage.html',
  styleUrl: './docketPage.css',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class DocketPage {
  private readonly api = inject(Api);
  private readonly router = inject(Router);
  protected readonly session = inject(Session);
  /** Key of a due group whose sheet opens at once. */
  readonly propose = input<string>();

  protected readonly due = loaded(() => this.api.call(docket.due));
  protected readonly batches = loaded(() => this.api.call(docket.batches));
  protected readonly group = signal<DueGroup | null>(null);
  protected readonly noticeDays = signal(14);
  protected readonly busy = signal(false);
  protected readonly sweeping = signal(false);
  protected readonly said = signal<string | null>(null);
  protected readonly jobId = signal<string | null>(null);
  protected readonly problem = signal<Problem | null>(null);
  protected readonly sheetOpen = computed(() => this.group() !== null);
  protected readonly groups = computed(() => this.due.value()?.groups ?? []);
  protected readonly count = computed(() => this.groups().reduce((sum, g) => sum + g.count, 0));
  protected readonly running = computed(() =>
    (this.batches.value()?.batches ?? []).filter((b) => !['done', 'withdrawn'].includes(b.state)),
  );
  protected readonly late = computed(() => this.running().filter((b) => b.late).length);

  constructor() {
    effect(() => {
      const key = this.propose();
      const group = this.groups().find((g) => g.key === key);
      if (group) untracked(() => this.open(group));
    });
  }

  protected vintages(group: DueGroup): string {
    const years = group.vintages.filter((v) => v > 0);
    if (years.length <= 2) return years.join($localize` and `);
    return `${years[0]!}–${years.at(-1)!}`;
  }

  protected actOf(batch: BatchLine): string {
    if (batch.certificate) return $localize`Certificate`;
    return batch.acts[0] ? actNames[batch.acts[0]] : $localize`Open`;
  }

  protected needsMe(batch: BatchLine): boolean {
    return batch.acts.some((a) => a === 'approve' || a === 'execute' || a === 'confirm' || a === 'announce');
  }

  protected open(group: DueGroup): void {
    this.problem.set(null);
    this.noticeDays.set(group.noticeDays);
    this.group.set(group);
  }

  protected close(open: boolean): void {
    if (open) return;
    this.group.set(null);
    void this.router.navigate([], { queryParams: { propose: null }, queryParamsHandling: 'merge', replaceUrl: true });
  }

  protected submit(announce: boolean): void {
    this.busy.set(true);
    this.problem.set(null);
    this.api.call(docket.propose, { body: { groupKey: this.group()!.key, noticeDays: this.noticeDays(), announce } }).subscribe({
      next: ({ id }) => {
        this.busy.set(false);
        this.group.set(null);
        this.session.refresh();
        void this.router.navigate(['/docket', id]);
      },
      error: (error: unknown) => {
        this.busy.set(false);
        this.problem.set(toProblem(error));
      },
    });
  }

  protected swept({ newlyDue, jobId }: { newlyDue: number; jobId: string | null }): void {
    if (newlyDue > 0) this.said.set($localize`${newlyDue}:n: records have come due.`);
    else
      this.said.set(jobId === null ? $localize`Nothing more has come due.` : $localize`The sweep is catching up with the days until now.`);
    this.jobId.set(jobId);
    this.refresh();
  }

  protected refresh(): void {
    this.due.reload();
    this.session.refresh();
  }
}

import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { RouterLink } from '@angular/router';
import { docket, type BatchItem, type BatchPage as Page, type Problem } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import type { Observable } from 'rxjs';
import { Session } from '../identity/index';
import { DateField } from '../kit/dateField';
import { Api, toProblem } from '../kit/api';
import { Gates } from '../kit/gates';
import { loaded } from '../kit/loaded';
import { Mark } from '../kit/mark';
import { ProblemNotice } from '../kit/notice';
import { Sheet } from '../kit/sheet';
import { DayPipe } from '../kit/words';
import { JobProgress } from '../kit/jobProgress';
import { TextField } from '../kit/textField';
import { LongTextField } from '../kit/longTextField';

type Task = 'approve' | 'reject' | 'withdraw' | 'execute' | 'object' | 'answer' | 'defer' | 'confirm';

type Words = Record<BatchItem['outcome'], string>;
const kept = {
  open: $localize`waits`,
  objected: $localize`stays: objection`,
  blocked: $localize`stays: held`,
  dropped: $localize`left out`,
  deferred: $localize`deferred`,
  sampled: $localize`kept as a sample`,
};
const outcomeWords: Record<Page['action'], Words> = {
  destroy: { ...kept, task: $localize`to destroy by hand`, disposed: $localize`destroyed` },
  transfer: { ...kept, task: $localize`to hand over`, disposed: $localize`transferred` },
};

/** A year on, the usual span of putting off. */
const yearAfter = (day: string): string => `${Number(day.slice(0, 4)) + 1}${day.slice(4).replace('-02-29', '-03-01')}`;

/** One batch: its gates, its records, objections and decisions, and what came of each record. */
@Component({
  selector: 'kc-batch',
  imports: [LongTextField, TextField, DateField, Button, DayPipe, FormsModule, Gates, JobProgress, Mark, ProblemNotice, RouterLink, Sheet],
  templateUrl: './batchPage.html',
  styleUrl: './batchPage.css',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class BatchPage {
  protected readonly labels = {
    byVan: $localize`by the archive’s van`,
    shredded: $localize`shredded`,
  };
  private readonly api = inject(Api);
  protected readonly session = inject(Session);
  readonly id = input.required<string>();
  protected readonly page = loaded(() => this.api.call(docket.batch, { params: { id: this.id() } }));
  protected readonly task = signal<Task | null>(null);
  protected readonly text = signal('');
  protected readonly keep = signal(true);
  protected readonly recordId = signal<string | null>(null);
  protected readonly objectionId = signal<string | null>(null);
  protected readonly on = signal('');
  protected readonly method = signal('');
  protected readonly witness = signal('');
  protected readonly busy = signal(false);
  protected readonly problem = signal<Problem | null>(null);
  protected readonly jobId = signal<string | null>(null);
  protected readonly until = signal('');
  protected readonly words = computed(() => outcomeWords[this.page.value()?.action ?? 'destroy']);
  protected readonly transfers = computed(() => this.page.value()?.action === 'transfer');
  /** The one record that the task is about, if it is about one. */
  protected readonly about = computed(() => this.page.value()?.items.find((i) => i.recordId === this.recordId()));
  protected readonly sheetOpen = computed(() => this.task() !== null);
  protected readonly tasks = computed(() => this.page.value()?.items.filter((i) => i.outcome === 'task') ?? []);
  protected readonly goes = computed(() => this.page.value()?.items.filter((i) => i.outcome === 'open' && i.held === 0).length ?? 0);
  protected readonly heading = computed(() => {
    switch (this.task()) {
      case 'approve':
        return $localize`Approve the batch`;
      case 'reject':
        return $localize`Refuse the batch`;
      case 'withdraw':
        return $localize`Withdraw the batch`;
      case 'execute':
        return $localize`Execute the batch`;
      case 'object':
        return $localize`Object to one record`;
      case 'answer':
        return $localize`Answer the objection`;
      case 'confirm':
        return this.transfers() ? $localize`Confirm handover` : $localize`Confirm destruction by hand`;
      case 'defer':
        return $localize`Defer one record`;
      case null:
        return '';
    }
  });
  protected readonly textLabel = computed(() => {
    switch (this.task()) {
      case 'approve':
        return $localize`Note (may be empty)`;
      case 'answer':
        return $localize`Answer`;
      default:
        return $localize`Reason`;
    }
  });
  protected readonly button = computed(() => {
    switch (this.task()) {
      case 'execute':
        if (this.transfers()) return this.goes() === 1 ? $localize`Transfer one record` : $localize`Transfer ${this.goes()}:n: records`;
        return this.goes() === 1 ? $localize`Destroy one record` : $localize`Destroy ${this.goes()}:n: records`;
      case 'object':
        return $localize`Object`;
      case 'answer':
        return this.keep() ? $localize`Defer the record` : $localize`Continue to next step`;
      case 'defer':
        return $localize`Defer the record`;
      case 'confirm':
        return $localize`Confirm ${this.tasks().length}:n: items`;
      default:
        return this.heading();
    }
  });

  protected has(page: Page, act: Page['acts'][number]): boolean {
    return page.acts.includes(act);
  }

  protected start(task: Task, given: { recordId?: string; objectionId?: string } = {}): void {
    this.problem.set(null);
    this.text.set('');
    this.keep.set(true);
    this.on.set(this.session.today());
    this.until.set(yearAfter(this.session.today()));
    this.recordId.set(given.recordId ?? null);
    this.objectionId.set(given.objectionId ?? null);
    this.task.set(task);
  }

  protected close(open: boolean): void {
    if (!open) this.task.set(null);
  }

  protected announce(): void {
    this.carry(this.api.call(docket.announce, { params: { id: this.id() } }));
  }

  protected submit(): void {
    const params = { id: this.id() };
    const text = this.text();
    switch (this.task()) {
      case 'approve':
        return this.carry(this.api.call(docket.approve, { params, body: { note: text } }));
      case 'reject':
        return this.carry(this.api.call(docket.reject, { params, body: { reason: text } }));
      case 'withdraw':
        return this.carry(this.api.call(docket.withdraw, { params, body: { reason: text } }));
      case 'object':
        return this.carry(this.api.call(docket.object, { params, body: { recordId: this.recordId()!, reason: text } }));
      case 'answer':
        return this.carry(
          this.api.call(docket.answer, {
            params: { id: this.objectionId()! },
            body: this.keep() ? { keep: true, answer: text, until: this.until() } : { keep: false, answer: text },
          }),
        );
      case 'defer':
        return this.carry(this.api.call(docket.defer, { params, body: { recordId: this.recordId()!, until: this.until(), reason: text } }));
      case 'confirm':
        return this.carry(
          this.api.call(docket.confirm, {
            params,
            body: { recordIds: this.tasks().map((t) => t.recordId), on: this.on(), method: this.method(), witness: this.witness() },
          }),
        );
      case 'execute':
        return this.carry(this.api.call(docket.execute, { params }), ({ jobId }) => this.jobId.set(jobId));
      case null:
        return undefined;
    }
  }

  private carry<T>(call: Observable<T>, then?: (result: T) => void): void {
    this.busy.set(true);
    this.problem.set(null);
    call.subscribe({
      next: (result) => {
        this.busy.set(false);
        this.task.set(null);
        then?.(result);
        this.reload();
      },
      error: (error: unknown) => {
        this.busy.set(false);
        this.problem.set(toProblem(error));
      },
    });
  }

  protected reload(): void {
    this.page.reload();
    this.session.refresh();
  }
}

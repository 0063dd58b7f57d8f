import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { toSignal } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { ActivatedRoute, Router, RouterLink } from '@angular/router';
import { identity, ledger, type LedgerEntry, type LedgerFilter, type Problem, type ResponseOf } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { InputText } from 'primeng/inputtext';
import { Choice } from '../kit/choice';
import { Api, toProblem } from '../kit/api';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { CountPipe, InstantPipe } from '../kit/words';

/** What happened, and can we show it? The audit trail, its sealed heads, its verification and its export. */
@Component({
  selector: 'kc-proof',
  imports: [Button, CountPipe, FormsModule, InputText, InstantPipe, ProblemNotice, RouterLink, Choice],
  templateUrl: './proofPage.html',
  styleUrl: './proofPage.css',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class ProofPage {
  private readonly api = inject(Api);
  private readonly router = inject(Router);
  private readonly route = inject(ActivatedRoute);
  readonly from = input<string>();
  readonly until = input<string>();
  readonly actor = input<string>();
  readonly act = input<string>();
  readonly subjectKind = input<string>();

  protected readonly filter = computed<LedgerFilter>(() => ({
    from: this.from() || undefined,
    until: this.until() || undefined,
    actor: this.actor() || undefined,
    act: this.act() || undefined,
    subjectKind: this.subjectKind() || undefined,
  }));
  protected readonly people = toSignal(this.api.call(identity.people));
  private readonly acts = toSignal(this.api.call(ledger.acts));
  protected readonly actOptions = computed(() => (this.acts()?.acts ?? []).map((act) => ({ value: act, name: act })));
  protected readonly heads = loaded(() => this.api.call(ledger.heads));
  protected readonly entries = signal<readonly LedgerEntry[]>([]);
  protected readonly next = signal<number | null>(null);
  protected readonly loading = signal(true);
  protected readonly problem = signal<Problem | null>(null);
  protected readonly verdict = signal<ResponseOf<typeof ledger.verify> | null>(null);
  protected readonly verifying = signal(false);
  protected readonly opened = signal<number | null>(null);
  protected readonly kinds = [
    'record',
    'place',
    'rule',
    'hold',
    'matter',
    'batch',
    'certificate',
    'arrival',
    'person',
    'ledger',
    'setting',
  ].map((kind) => ({ value: kind, name: kind }));
  protected readonly personOptions = computed(() =>
    (this.people()?.people ?? []).filter((p) => p.kind === 'person').map((p) => ({ value: p.id, name: p.name })),
  );
  protected readonly newest = computed(() => this.heads.value()?.heads[0]);
  protected readonly exportUrl = computed(() => {
    const query = new URLSearchParams();
    for (const [key, value] of Object.entries(this.filter())) if (value) query.set(key, String(value));
    return `/api/ledger/export?${query.toString()}`;
  });
  private asked = 0;

  constructor() {
    effect(() => {
      this.filter();
      untracked(() => this.load(true));
    });
  }

  protected narrow(changes: Record<string, string | null>): void {
    void this.router.navigate([], { relativeTo: this.route, queryParams: changes, queryParamsHandling: 'merge', replaceUrl: true });
  }

  protected load(anew: boolean): void {
    const ask = ++this.asked;
    this.loading.set(true);
    this.api
      .call(ledger.entries, { query: { ...this.filter(), before: anew ? undefined : (this.next() ?? undefined), limit: 100 } })
      .subscribe({
        next: ({ entries, next }) => {
          if (ask !== this.asked) return;
          this.entries.update((old) => (anew ? entries : [...old, ...entries]));
          this.next.set(next);
          this.loading.set(false);
          this.problem.set(null);
        },
        error: (error: unknown) => {
          this.loading.set(false);
          this.problem.set(toProblem(error));
        },
      });
  }

  protected seal(): void {
    this.api.call(ledger.seal).subscribe({
      next: () => {
        this.heads.reload();
        this.load(true);
      },
      error: (error: unknown) => this.problem.set(toProblem(error)),
    });
  }

  protected verify(): void {
    this.verifying.set(true);
    this.verdict.set(null);
    this.api.call(ledger.verify).subscribe({
      next: (verdict) => {
        this.verifying.set(false);
        this.verdict.set(verdict);
      },
      error: (error: unknown) => {
        this.verifying.set(false);
        this.problem.set(toProblem(error));
      },
    });
  }

  protected linkOf(e: LedgerEntry): string[] | null {
    if (!e.subjectId) return null;
    const areas: Record<string, string> = { record: '/records', place: '/plan', rule: '/schedule', hold: '/holds', batch: '/docket' };
    const area = areas[e.subjectKind];
    return area ? [area, e.subjectId] : null;
  }

  protected detail(e: LedgerEntry): string {
    return JSON.stringify({ before: e.before, after: e.after }, null, 2);
  }
}

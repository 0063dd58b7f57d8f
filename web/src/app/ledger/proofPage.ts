import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { toSignal } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { ActivatedRoute, Router, RouterLink } from '@angular/router';
import { fixity, identity, ledger, type LedgerEntry, type LedgerFilter, type Problem } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { InputText } from 'primeng/inputtext';
import { DateField } from '../kit/dateField';
import { Choice } from '../kit/choice';
import { Api, toProblem } from '../kit/api';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { CountPipe, InstantPipe } from '../kit/words';
import { Session } from '../identity';
import { Damaged } from './damaged';
import { FixitySheet } from './fixitySheet';
import { KeySheet } from './keySheet';
import { LedgerStrip } from './ledgerStrip';
import { Verification } from './verification';

/** What happened, and can we show it? The audit trail, its sealed heads, its verification and its export. */
@Component({
  selector: 'kc-proof',
  imports: [
    DateField,
    Button,
    CountPipe,
    Damaged,
    FixitySheet,
    FormsModule,
    InputText,
    InstantPipe,
    KeySheet,
    LedgerStrip,
    ProblemNotice,
    RouterLink,
    Choice,
    Verification,
  ],
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
  protected readonly state = loaded(() => this.api.call(ledger.state));
  private readonly session = inject(Session);
  protected readonly mayChangeKey = computed(() => this.session.may('dispose'));
  protected readonly changingKey = signal(false);
  protected readonly contents = loaded(() => this.api.call(fixity.state));
  protected readonly changingChecks = signal(false);
  protected readonly entries = signal<readonly LedgerEntry[]>([]);
  protected readonly next = signal<number | null>(null);
  protected readonly loading = signal(true);
  protected readonly problem = signal<Problem | null>(null);
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
      next: () => this.lookAgain(),
      error: (error: unknown) => this.problem.set(toProblem(error)),
    });
  }

  protected lookAgain(): void {
    this.state.reload();
    this.contents.reload();
    this.load(true);
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

import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { toSignal } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { ActivatedRoute, Router, RouterLink } from '@angular/router';
import { fixity, identity, ledger, type LedgerEntry, type LedgerFilter, type LedgerFold, type Problem } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { DateField } from '../kit/dateField';
import { Choice } from '../kit/choice';
import { Api, toProblem } from '../kit/api';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { byWords, CountPipe, countWords, InstantPipe } from '../kit/words';
import { Session } from '../identity';
import { Damaged } from './damaged';
import { FixitySheet } from './fixitySheet';
import { KeySheet } from './keySheet';
import { LedgerStrip } from './ledgerStrip';
import { Verification } from './verification';

/** One row of the trail: an entry, a fold with what is in it in words, or the offer of more of an opened one. */
interface Row {
  readonly key: string;
  readonly entry?: LedgerEntry;
  readonly inside?: boolean;
  readonly fold?: LedgerFold & { readonly count: number; readonly words: string };
  readonly rest?: LedgerFold;
}

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
  protected readonly actOptions = computed(() =>
    (this.acts()?.acts ?? []).map((act) => ({ value: act.act, name: act.words })).sort((a, b) => byWords(a.name, b.name)),
  );
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
    { value: 'record', name: $localize`record` },
    { value: 'place', name: $localize`place` },
    { value: 'rule', name: $localize`rule` },
    { value: 'hold', name: $localize`hold` },
    { value: 'matter', name: $localize`matter` },
    { value: 'batch', name: $localize`batch` },
    { value: 'certificate', name: $localize`certificate` },
    { value: 'arrival', name: $localize`arrival` },
    { value: 'person', name: $localize`person` },
    { value: 'ledger', name: $localize`ledger` },
    { value: 'setting', name: $localize`setting` },
  ];
  protected readonly personOptions = computed(() =>
    (this.people()?.people ?? []).filter((p) => p.kind === 'person').map((p) => ({ value: p.id, name: p.name })),
  );
  protected readonly exportUrl = computed(() => {
    const query = new URLSearchParams();
    for (const [key, value] of Object.entries(this.filter())) if (value) query.set(key, String(value));
    return `/api/ledger/export?${query.toString()}`;
  });
  /** What the program did by itself, folded; opened ones with what was fetched of them, and whether there is more. */
  protected readonly folds = signal<readonly LedgerFold[]>([]);
  protected readonly unfolded = signal<ReadonlyMap<number, { readonly entries: readonly LedgerEntry[]; readonly next: number | null }>>(
    new Map(),
  );
  /** Who looks for a person or an act wants each entry. */
  private readonly folding = computed(() => !this.actor() && !this.act());
  /** Entries and folds in their order, newest first. */
  protected readonly rows = computed<readonly Row[]>(() => {
    const opened = this.unfolded();
    const rows: (Row & { readonly seq: number })[] = this.entries().map((entry) => ({ key: `e${entry.seq}`, seq: entry.seq, entry }));
    for (const fold of this.folds()) {
      const count = fold.acts.reduce((sum, a) => sum + a.count, 0);
      const words = fold.acts.map((a) => (a.count === 1 ? a.words : `${a.words} × ${countWords(a.count)}`)).join(' · ');
      rows.push({ key: `f${fold.newest}`, seq: fold.newest, fold: { ...fold, count, words: fold.more ? `${words} …` : words } });
      const inside = opened.get(fold.newest);
      for (const entry of inside?.entries ?? []) rows.push({ key: `i${entry.seq}`, seq: entry.seq, entry, inside: true });
      if (inside?.next) rows.push({ key: `r${fold.newest}`, seq: inside.next, rest: fold });
    }
    // Of a fold and its first entry, which have one number, the fold comes first.
    return rows.sort((a, b) => b.seq - a.seq || (a.fold ? -1 : 1));
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
      .call(ledger.entries, {
        query: { ...this.filter(), before: anew ? undefined : (this.next() ?? undefined), limit: 100, folded: this.folding() },
      })
      .subscribe({
        next: ({ entries, folds, next }) => {
          if (ask !== this.asked) return;
          this.entries.update((old) => (anew ? entries : [...old, ...entries]));
          this.folds.update((old) => (anew ? folds : [...old, ...folds]));
          if (anew) this.unfolded.set(new Map());
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

  protected unfold(fold: LedgerFold): void {
    const opened = new Map(this.unfolded());
    if (opened.delete(fold.newest)) this.unfolded.set(opened);
    else this.fetchInside(fold, fold.newest + 1);
  }

  protected unfoldMore(fold: LedgerFold): void {
    this.fetchInside(fold, this.unfolded().get(fold.newest)!.next!);
  }

  private fetchInside(fold: LedgerFold, before: number): void {
    this.api.call(ledger.entries, { query: { ...this.filter(), before, after: fold.oldest - 1, limit: 50 } }).subscribe({
      next: ({ entries, next }) =>
        this.unfolded.update((opened) =>
          new Map(opened).set(fold.newest, { entries: [...(opened.get(fold.newest)?.entries ?? []), ...entries], next }),
        ),
      error: (error: unknown) => this.problem.set(toProblem(error)),
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

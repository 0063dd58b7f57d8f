import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { toSignal } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { ActivatedRoute, Router, RouterLink } from '@angular/router';
import { fixity, identity, ledger, type LedgerEntry, type LedgerFilter, type Problem } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { DateField } from '../kit/dateField';
import { Choice } from '../kit/choice';
import { Api, toProblem } from '../kit/api';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { linkOfEntry, trailOf } from '../kit/trail';
import { byWords, CountPipe, InstantPipe } from '../kit/words';
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
  /** Who looks for a person or an act wants each entry. */
  protected readonly trail = trailOf(this.filter, () => !this.actor() && !this.act());
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

  protected narrow(changes: Record<string, string | null>): void {
    void this.router.navigate([], { relativeTo: this.route, queryParams: changes, queryParamsHandling: 'merge', replaceUrl: true });
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
    this.trail.reload();
  }

  protected readonly linkOf = linkOfEntry;

  protected detail(e: LedgerEntry): string {
    return JSON.stringify({ before: e.before, after: e.after }, null, 2);
  }
}

import { ChangeDetectionStrategy, Component, computed, effect, inject, input, model, output, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { RouterLink } from '@angular/router';
import { records, type PlacePage, type Problem, type SplitOutcome } from '@key-cellar/contract';
import type { AskedCriteria } from '@key-cellar/core/criteria';
import { factsOfTypes } from '@key-cellar/core/records';
import { Button } from 'primeng/button';
import { toSignal } from '@angular/core/rxjs-interop';
import { CriteriaField } from '../criteria/index';
import { Api, toProblem } from '../kit/api';
import { Choice } from '../kit/choice';
import { Choices } from '../kit/choices';
import { DateShiftWords } from '../kit/dateShift';
import { LongTextField } from '../kit/longTextField';
import { ProblemNotice } from '../kit/notice';
import { Sheet } from '../kit/sheet';
import { TextField } from '../kit/textField';
import { byWords, CountPipe } from '../kit/words';
import { FactWordsPipe, RecordsService, type FactValues } from '../records/index';

type Way = 'criteria' | 'folders' | 'fact';
type Value = string | number | boolean;

/** A value of the fact that is split by, and the series that its records go to. */
interface ValuePart {
  readonly value: Value;
  readonly records: number;
  readonly code: string;
  readonly title: string;
  readonly chosen: boolean;
}

/** Splits a series: what goes into new ones is said by criteria, by its folders or by the values of a fact, and is tried first. */
@Component({
  selector: 'kc-split-sheet',
  imports: [
    Button,
    Choice,
    Choices,
    CountPipe,
    CriteriaField,
    DateShiftWords,
    FactWordsPipe,
    FormsModule,
    LongTextField,
    ProblemNotice,
    RouterLink,
    Sheet,
    TextField,
  ],
  templateUrl: './splitSheet.html',
  styleUrl: './splitSheet.css',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class SplitSheet {
  private readonly api = inject(Api);
  private readonly types = toSignal(inject(RecordsService).types$);
  readonly open = model.required<boolean>();
  readonly place = input.required<PlacePage>();
  readonly split = output();

  protected readonly way = signal<Way>('criteria');
  protected readonly ways: readonly { value: Way; name: string }[] = [
    { value: 'criteria', name: $localize`What matches` },
    { value: 'folders', name: $localize`Chosen folders` },
    { value: 'fact', name: $localize`By a fact` },
  ];
  protected readonly code = signal('');
  protected readonly title = signal('');
  protected readonly criteria = signal<AskedCriteria | null>(null);
  protected readonly text = signal('');
  protected readonly folderIds = signal<readonly string[]>([]);
  protected readonly fact = signal<string | null>(null);
  protected readonly values = signal<readonly ValuePart[] | null>(null);
  protected readonly without = signal(0);
  protected readonly factNames = signal<Readonly<Record<string, string>>>({});
  protected readonly reason = signal('');
  protected readonly again = signal(false);
  protected readonly outcome = signal<SplitOutcome | null>(null);
  protected readonly done = signal(false);
  protected readonly busy = signal(false);
  protected readonly problem = signal<Problem | null>(null);

  protected readonly folderOptions = computed(() =>
    this.place()
      .inside.filter((p) => p.kind === 'folder')
      .map((p) => ({ value: p.id, name: `${p.code} ${p.title}` })),
  );
  protected readonly facts = computed(() => factsOfTypes(this.types()?.types ?? []).sort((a, b) => byWords(a.title, b.title)));
  protected readonly factOptions = computed(() => this.facts().map((f) => ({ value: f.code, name: f.title })));
  protected readonly definition = computed(() => this.facts().find((f) => f.code === this.fact()) ?? null);
  protected readonly givenBefore = computed(() => this.problem()?.type.endsWith(':code-given-before') ?? false);
  protected readonly ready = computed(() => {
    const named = this.code().trim() !== '' && this.title().trim() !== '';
    switch (this.way()) {
      case 'criteria':
        return named && this.criteria() !== null;
      case 'folders':
        return named && this.folderIds().length > 0;
      case 'fact': {
        const chosen = (this.values() ?? []).filter((v) => v.chosen);
        return chosen.length > 0 && chosen.every((v) => v.code.trim() !== '' && v.title.trim() !== '');
      }
    }
  });

  constructor() {
    effect(() => {
      if (!this.open()) return;
      untracked(() => {
        this.code.set('');
        this.title.set(this.place().title);
        this.folderIds.set([]);
        this.values.set(null);
        this.fact.set(null);
        this.reason.set('');
        this.forget();
      });
    });
  }

  /** What was tried does not hold any more once something is changed. */
  protected forget(): void {
    this.outcome.set(null);
    this.done.set(false);
    this.again.set(false);
    this.problem.set(null);
  }

  protected chooseFact(code: string | null): void {
    this.fact.set(code);
    this.values.set(null);
    this.forget();
    if (code === null) return;
    this.api.call(records.factValues, { params: { id: this.place().id }, query: { fact: code } }).subscribe({
      next: ({ values, without, factNames }) => {
        if (code !== this.fact()) return;
        const { code: series, title } = this.place();
        this.without.set(without);
        this.factNames.set(factNames);
        this.values.set(
          values.map(({ value, records: n }, i) => ({
            value: value as Value,
            records: n,
            code: `${series}-${i + 1}`,
            title: `${title}, ${factNames[String(value)] ?? String(value)}`,
            chosen: false,
          })),
        );
      },
      error: (error: unknown) => this.problem.set(toProblem(error)),
    });
  }

  protected changeValue(at: number, changes: Partial<ValuePart>): void {
    this.values.update((all) => all!.map((v, i) => (i === at ? { ...v, ...changes } : v)));
    this.forget();
  }

  protected asFacts(value: Value): FactValues[string] {
    return value;
  }

  private parts() {
    const [code, title] = [this.code().trim(), this.title().trim()];
    switch (this.way()) {
      case 'criteria':
        return [{ code, title, which: { by: 'criteria' as const, criteria: this.criteria()! } }];
      case 'folders':
        return [{ code, title, which: { by: 'list' as const, folderIds: [...this.folderIds()], numbers: [] } }];
      case 'fact':
        return (this.values() ?? [])
          .filter((v) => v.chosen)
          .map((v) => ({
            code: v.code.trim(),
            title: v.title.trim(),
            which: { by: 'criteria' as const, criteria: { op: 'fact' as const, fact: this.fact()!, value: v.value } as AskedCriteria },
          }));
    }
  }

  protected carryOut(dryRun: boolean, again = this.again()): void {
    this.again.set(again);
    const { id, revision } = this.place();
    const reason = this.reason().trim();
    const body = { revision, parts: this.parts(), again, dryRun, ...(reason && !dryRun ? { reason } : {}) };
    this.busy.set(true);
    this.problem.set(null);
    this.api.call(records.splitSeries, { params: { id }, body }).subscribe({
      next: (outcome) => {
        this.busy.set(false);
        this.outcome.set(outcome);
        this.done.set(!dryRun);
        if (!dryRun) this.split.emit();
      },
      error: (error: unknown) => {
        this.busy.set(false);
        this.problem.set(toProblem(error));
      },
    });
  }
}

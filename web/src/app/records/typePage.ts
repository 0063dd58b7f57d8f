import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { RouterLink } from '@angular/router';
import { setup, type Problem, type TypeEffect, type TypePage as Type } from '@key-cellar/contract';
import { definitionProblems, type FactDefinition } from '@key-cellar/core/records';
import { Button } from 'primeng/button';
import { InputText } from 'primeng/inputtext';
import { say } from '../../words/say';
import { Session } from '../identity/index';
import { Api, toProblem } from '../kit/api';
import { JobProgress } from '../kit/jobProgress';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { Sheet } from '../kit/sheet';
import { Unsaved } from '../kit/unsaved';
import { CountPipe, DayPipe, InstantPipe } from '../kit/words';
import { factKindNames, FactForm } from './factForm';
import { FactFields, type FactValues } from './factFields';
import { RecordsService } from './recordsService';
import { SetupNav } from './setupNav';

const blank: FactDefinition = { code: '', title: '', kind: 'text', required: false };

/** One record type: its facts in their order, tried out beside the list, and what another version would do. */
@Component({
  selector: 'kc-type',
  imports: [
    Button,
    CountPipe,
    DayPipe,
    FactFields,
    FactForm,
    FormsModule,
    InputText,
    InstantPipe,
    JobProgress,
    ProblemNotice,
    RouterLink,
    SetupNav,
    Sheet,
  ],
  templateUrl: './typePage.html',
  styleUrl: './typePage.css',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class TypePage {
  protected readonly labels = {
    takeUpAgain: $localize`Reinstate`,
    retire: $localize`Retire`,
    addFact: $localize`Add a fact`,
    changeFact: $localize`Change a fact`,
  };
  private readonly api = inject(Api);
  private readonly service = inject(RecordsService);
  protected readonly session = inject(Session);
  readonly code = input.required<string>();
  protected readonly page = loaded(() => this.api.call(setup.type, { params: { code: this.code() } }));
  protected readonly kindNames = factKindNames;

  protected readonly title = signal('');
  protected readonly facts = signal<readonly FactDefinition[]>([]);
  /** The fact being changed, and where it stands; null at the end: a new one. */
  protected readonly editing = signal<{ at: number | null; fact: FactDefinition } | null>(null);
  protected readonly sheetOpen = computed(() => this.editing() !== null);
  protected readonly tried = signal<FactValues>({});
  protected readonly effect = signal<TypeEffect | null>(null);
  protected readonly publishing = signal(false);
  protected readonly busy = signal(false);
  protected readonly problem = signal<Problem | null>(null);
  protected readonly jobId = signal<string | null>(null);

  protected readonly changed = computed(() => {
    const p = this.page.value();
    return !!p && JSON.stringify([p.title, p.facts]) !== JSON.stringify([this.title(), this.facts()]);
  });
  protected readonly wrong = computed(() => [
    ...(this.title().trim() || !this.page.value() ? [] : [$localize`The type needs a name.`]),
    ...definitionProblems(this.facts()).map((p) => say(p.sentence)),
  ]);

  constructor() {
    inject(Unsaved).watch(() => this.changed());
    effect(() => {
      const p = this.page.value();
      if (p) untracked(() => this.begin(p));
    });
  }

  private begin(p: Type): void {
    this.title.set(p.title);
    this.facts.set(p.facts);
    this.tried.set({});
  }

  protected edit(at: number | null): void {
    this.editing.set({ at, fact: at === null ? blank : this.facts()[at]! });
  }

  protected take(fact: FactDefinition): void {
    const at = this.editing()!.at;
    this.facts.update((facts) => (at === null ? [...facts, fact] : facts.with(at, fact)));
    this.editing.set(null);
  }

  protected remove(at: number): void {
    this.facts.update((facts) => facts.filter((_, i) => i !== at));
  }

  protected move(at: number, by: -1 | 1): void {
    this.facts.update((facts) => {
      const moved = [...facts];
      [moved[at], moved[at + by]] = [moved[at + by]!, moved[at]!];
      return moved;
    });
  }

  /** The conditions of a fact in a few words. */
  protected details(fact: FactDefinition): string {
    const other = fact.onlyWhen && (this.facts().find((f) => f.code === fact.onlyWhen!.fact)?.title ?? fact.onlyWhen.fact);
    return [
      fact.many ? $localize`several` : '',
      fact.unique ? $localize`unique` : '',
      fact.replaces ? $localize`replaces it` : '',
      fact.mask ? $localize`like ${fact.mask}:mask:` : '',
      fact.min !== undefined ? $localize`from ${fact.min}:least:` : '',
      fact.max !== undefined ? $localize`to ${fact.max}:most:` : '',
      fact.currency ?? '',
      fact.choices?.length ? $localize`${fact.choices.length}:n: choices` : '',
      fact.default === undefined ? '' : $localize`else ${fact.default}:value:`,
      other
        ? fact.onlyWhen!.values.length > 0
          ? $localize`only when ${other}:fact: is ${fact.onlyWhen!.values.join(', ')}:values:`
          : $localize`only when ${other}:fact: is known`
        : '',
      fact.dublinCore ? `dc:${fact.dublinCore}` : '',
    ]
      .filter(Boolean)
      .join(' · ');
  }

  protected closeSheet(open: boolean): void {
    if (!open) this.editing.set(null);
  }

  private body(dryRun: boolean) {
    return { version: this.page.value()!.version, title: this.title().trim(), facts: [...this.facts()], dryRun };
  }

  protected tryIt(): void {
    this.effect.set(null);
    this.problem.set(null);
    this.publishing.set(true);
    this.api.call(setup.changeType, { params: { code: this.code() }, body: this.body(true) }).subscribe({
      next: ({ effect: found }) => this.effect.set(found),
      error: (error: unknown) => this.problem.set(toProblem(error)),
    });
  }

  protected publish(): void {
    this.busy.set(true);
    this.problem.set(null);
    this.api.call(setup.changeType, { params: { code: this.code() }, body: this.body(false) }).subscribe({
      next: ({ jobId }) => {
        this.busy.set(false);
        this.publishing.set(false);
        this.jobId.set(jobId);
        this.service.typesChanged();
        this.page.reload();
      },
      error: (error: unknown) => {
        this.busy.set(false);
        this.problem.set(toProblem(error));
      },
    });
  }

  protected retire(retired: boolean): void {
    this.problem.set(null);
    this.api.call(setup.retireType, { params: { code: this.code() }, body: { retired } }).subscribe({
      next: () => {
        this.service.typesChanged();
        this.page.reload();
      },
      error: (error: unknown) => this.problem.set(toProblem(error)),
    });
  }

  protected factTitle(code: string): string {
    const known = [...this.facts(), ...(this.page.value()?.versions.flatMap((v) => v.facts) ?? [])];
    return known.find((f) => f.code === code)?.title ?? code;
  }

  protected drop(): void {
    const p = this.page.value();
    if (p) this.begin(p);
  }
}

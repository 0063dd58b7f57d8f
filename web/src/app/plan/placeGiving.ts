import { ChangeDetectionStrategy, Component, computed, inject, input, output, signal } from '@angular/core';
import { toSignal } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { setup, type PlacePage, type Problem } from '@key-cellar/contract';
import { factsOfTypes, type FactDefinition, type Takes } from '@key-cellar/core/records';
import { Button } from 'primeng/button';
import type { Observable } from 'rxjs';
import { Api, toProblem } from '../kit/api';
import { Choice } from '../kit/choice';
import { Choices } from '../kit/choices';
import { ProblemNotice } from '../kit/notice';
import { Sheet } from '../kit/sheet';
import { byWords } from '../kit/words';
import { TextField } from '../kit/textField';
import { NumberField } from '../kit/numberField';
import { FactFields, FactWordsPipe, RecordsService, type FactValues } from '../records/index';
import { bytesOf, formatsIn, megabyte } from './formats';

/** What a place gives on to what is filed in it, and what it takes at all. */
@Component({
  selector: 'kc-place-giving',
  imports: [NumberField, TextField, Button, Choice, FactFields, FactWordsPipe, FormsModule, Choices, ProblemNotice, Sheet],
  templateUrl: './placeGiving.html',
  styleUrl: './placeGiving.css',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class PlaceGiving {
  protected readonly labels = {
    given: $localize`Facts passed down`,
    takes: $localize`What it takes`,
  };
  private readonly api = inject(Api);
  readonly place = input.required<PlacePage>();
  readonly changed = output();

  private readonly types = toSignal(inject(RecordsService).types$);
  private readonly known = computed(() => factsOfTypes(this.types()?.types ?? []).sort((a, b) => byWords(a.title, b.title)));
  protected readonly own = computed(() => this.given(this.place().facts));
  protected readonly around = computed(() => {
    const seen = new Set(Object.keys(this.place().facts));
    return this.place().factsAround.flatMap(({ code, facts }) =>
      this.given(facts)
        .filter((g) => !seen.has(g.fact.code) && seen.add(g.fact.code))
        .map((g) => ({ ...g, from: code })),
    );
  });
  protected readonly mayGive = computed(() => this.place().rights.includes('edit') && this.place().kind !== 'repository');
  protected readonly mayKeep = computed(() => this.place().rights.includes('dispose'));
  protected readonly typeOptions = computed(() => (this.types()?.types ?? []).map((t) => ({ value: t.code, name: t.title })));
  protected readonly takesWords = computed(() => {
    const { takes, takesAround, code } = this.place();
    const all = [...(takes ? [{ code, takes }] : []), ...takesAround];
    const nearest = <K extends keyof Takes>(key: K) => all.find((a) => a.takes[key] !== null);
    const from = (at: string): string => (at === code ? '' : $localize` (from ${at}:place:)`);
    const [types, formats, largest] = [nearest('types'), nearest('formats'), nearest('largest')];
    return [
      types && `${types.takes.types!.map((t) => this.typeOptions().find((o) => o.value === t)?.name ?? t).join(', ')}${from(types.code)}`,
      formats && $localize`files: ${formats.takes.formats!.join(', ')}:formats:${from(formats.code)}:from:`,
      largest && $localize`up to ${largest.takes.largest! / megabyte}:size: MB${from(largest.code)}:from:`,
    ].filter((words) => words !== undefined);
  });

  protected readonly task = signal<'facts' | 'takes' | null>(null);
  protected readonly sheetOpen = computed(() => this.task() !== null);
  protected readonly chosen = signal<readonly string[]>([]);
  protected readonly values = signal<FactValues>({});
  protected readonly definitions = computed(() => this.known().filter((f) => this.chosen().includes(f.code)));
  protected readonly toAdd = computed(() =>
    this.known()
      .filter((f) => !this.chosen().includes(f.code))
      .map((f) => ({ value: f.code, name: f.title })),
  );
  protected readonly takenTypes = signal<readonly string[]>([]);
  protected readonly formats = signal('');
  protected readonly largest = signal<number | null>(null);
  protected readonly busy = signal(false);
  protected readonly problem = signal<Problem | null>(null);
  protected readonly wrong = computed(() =>
    Object.fromEntries((this.problem()?.fields ?? []).map((f) => [f.pointer.replace('/facts/', ''), f.sentence])),
  );

  private given(facts: FactValues): { fact: FactDefinition; value: FactValues[string] }[] {
    return Object.entries(facts).map(([code, value]) => ({
      fact: this.known().find((f) => f.code === code) ?? { code, title: code, kind: 'text', required: false },
      value,
    }));
  }

  protected begin(task: 'facts' | 'takes'): void {
    const { facts, takes } = this.place();
    this.problem.set(null);
    this.values.set({ ...facts });
    this.chosen.set(Object.keys(facts));
    this.takenTypes.set(takes?.types ?? []);
    this.formats.set((takes?.formats ?? []).join(', '));
    this.largest.set(takes?.largest ? takes.largest / megabyte : null);
    this.task.set(task);
  }

  protected add(code: string | null): void {
    if (code) this.chosen.update((codes) => [...codes, code]);
  }

  protected close(open: boolean): void {
    if (!open) this.task.set(null);
  }

  protected save(): void {
    const { id, revision } = this.place();
    const types = this.takenTypes().length > 0 ? [...this.takenTypes()] : null;
    const [formats, largest] = [formatsIn(this.formats()), bytesOf(this.largest())];
    const anything = types === null && formats === null && largest === null;
    const call: Observable<unknown> =
      this.task() === 'facts'
        ? this.api.call(setup.placeFacts, { params: { id }, body: { revision, facts: this.values() } })
        : this.api.call(setup.placeTakes, {
            params: { id },
            body: {
              revision,
              takes: anything ? null : { types, formats, largest },
            },
          });
    this.busy.set(true);
    this.problem.set(null);
    call.subscribe({
      next: () => {
        this.busy.set(false);
        this.task.set(null);
        this.changed.emit();
      },
      error: (error: unknown) => {
        this.busy.set(false);
        this.problem.set(toProblem(error));
      },
    });
  }
}

import { ChangeDetectionStrategy, Component, computed, effect, input, output, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import {
  definitionProblems,
  dublinCoreElements,
  factKinds,
  pointsElsewhere,
  type DublinCoreElement,
  type FactDefinition,
  type FactKind,
} from '@key-cellar/core/records';
import { Button } from 'primeng/button';
import { say } from '../../words/say';
import { Choice } from '../kit/choice';
import { TextField } from '../kit/textField';
import { LongTextField } from '../kit/longTextField';
import { DateField } from '../kit/dateField';
import { NumberField } from '../kit/numberField';

/** What kinds of facts are called. */
export const factKindNames: Record<FactKind, string> = {
  text: $localize`text`,
  longText: $localize`long text`,
  whole: $localize`whole number`,
  decimal: $localize`number`,
  money: $localize`amount`,
  date: $localize`date`,
  yesNo: $localize`yes or no`,
  choice: $localize`choice`,
  person: $localize`person here`,
  party: $localize`party`,
  object: $localize`business object`,
  place: $localize`place in the plan`,
  reference: $localize`another record`,
};

/** What is asked of one fact: its kind, and what its values must be like. */
@Component({
  selector: 'kc-fact-form',
  imports: [NumberField, DateField, LongTextField, TextField, Button, Choice, FormsModule],
  templateUrl: './factForm.html',
  styles: `
    .checks {
      display: flex;
      flex-wrap: wrap;
      gap: 4px 16px;
    }
    .row-fields {
      align-items: start;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class FactForm {
  protected readonly labels = {
    add: $localize`Add it`,
    change: $localize`Change it`,
  };
  readonly fact = input.required<FactDefinition>();
  /** Facts that stand before it: it may be asked because of one of them. */
  readonly before = input.required<readonly FactDefinition[]>();
  readonly isNew = input(false);
  readonly taken = input.required<readonly FactDefinition[]>();
  readonly done = output<FactDefinition>();

  protected readonly draft = signal<FactDefinition>({ code: '', title: '', kind: 'text', required: false });
  protected readonly kinds = factKinds.map((value) => ({ value, name: factKindNames[value] }));
  protected readonly kindName = computed(() => factKindNames[this.draft().kind]);
  protected readonly elements = dublinCoreElements.map((value) => ({ value, name: value }));
  protected readonly others = computed(() => this.before().map((f) => ({ value: f.code, name: f.title })));
  protected readonly choicesText = computed(() => (this.draft().choices ?? []).join('\n'));
  protected readonly whenText = computed(() => (this.draft().onlyWhen?.values ?? []).join(', '));
  protected readonly isRanged = computed(() => ['whole', 'decimal', 'money', 'date'].includes(this.draft().kind));
  protected readonly mayBeUnique = computed(
    () => !this.draft().many && (['text', 'whole', 'date', 'choice'].includes(this.draft().kind) || pointsElsewhere(this.draft().kind)),
  );
  protected readonly yesOrNo = [
    { value: true, name: $localize`yes` },
    { value: false, name: $localize`no` },
  ];
  protected readonly defaultText = computed(() => String(this.draft().default ?? ''));
  protected readonly defaultHint = computed(() => {
    switch (this.draft().kind) {
      case 'date':
        return $localize`A date, or: today.`;
      case 'person':
        return $localize`me: whoever files it.`;
      default:
        return $localize`When nobody says anything.`;
    }
  });
  protected readonly wrong = computed(() => {
    const d = this.draft();
    const others = this.isNew() ? this.taken() : this.taken().filter((f) => f.code !== this.fact().code);
    if (!d.title.trim()) return [];
    const before = this.before().filter((f) => f.code !== d.code || others.includes(f));
    const own = definitionProblems([...before, d]).filter((p) => p.fact === d.code || p.fact === String(before.length + 1));
    return own.map((p) => say(p.sentence));
  });

  constructor() {
    effect(() => {
      const fact = this.fact();
      untracked(() => this.draft.set(fact));
    });
  }

  protected change(changes: Partial<FactDefinition>): void {
    this.draft.update((d) => tidy({ ...d, ...changes }));
  }

  protected name(title: string): void {
    this.change({ title, ...(this.isNew() ? { code: codeFrom(title) } : {}) });
  }

  /** What belongs to another kind does not come along. */
  protected setKind(kind: FactKind): void {
    const { code, title, required, help, onlyWhen, dublinCore } = this.draft();
    this.draft.set(
      tidy({
        code,
        title,
        required,
        help,
        onlyWhen,
        dublinCore,
        kind,
        ...(kind === 'money' ? { currency: 'EUR' } : {}),
        ...(kind === 'choice' ? { choices: [] } : {}),
      }),
    );
  }

  protected setChoices(text: string): void {
    this.change({
      choices: text
        .split('\n')
        .map((line) => line.trim().replace(/\s*\/\s*/g, ' / '))
        .filter(Boolean),
    });
  }

  protected bound(end: 'min' | 'max', value: string | number | null): void {
    this.change({ [end]: value ?? undefined });
  }

  protected setDefault(text: string): void {
    const { kind } = this.draft();
    const word = text.trim();
    if (word === '') this.change({ default: undefined });
    else this.change({ default: ['whole', 'decimal', 'money'].includes(kind) && Number.isFinite(Number(word)) ? Number(word) : word });
  }

  protected depend(fact: string | null): void {
    this.change({ onlyWhen: fact === null ? undefined : { fact, values: [] } });
  }

  protected setWhen(text: string): void {
    const other = this.before().find((f) => f.code === this.draft().onlyWhen?.fact);
    const values = text
      .split(',')
      .map((v) => v.trim())
      .filter(Boolean)
      .map((v) => {
        if (other?.kind === 'yesNo') return v.toLowerCase() === 'yes';
        return ['whole', 'decimal', 'money'].includes(other?.kind ?? '') ? Number(v) : v;
      });
    this.change({ onlyWhen: { fact: this.draft().onlyWhen!.fact, values } });
  }

  protected setElement(dublinCore: DublinCoreElement | null): void {
    this.change({ dublinCore: dublinCore ?? undefined });
  }

  protected submit(): void {
    if (this.draft().title.trim() && this.wrong().length === 0) this.done.emit(this.draft());
  }
}

/** Without what says nothing, so that an unchanged fact is equal to itself. */
function tidy(fact: FactDefinition): FactDefinition {
  return Object.fromEntries(Object.entries(fact).filter(([, value]) => value !== undefined && value !== '')) as unknown as FactDefinition;
}

function codeFrom(title: string): string {
  const words = title
    .normalize('NFD')
    .replace(/[^A-Za-z0-9 ]+/g, '')
    .trim()
    .split(/\s+/);
  const code = words.map((w, i) => (i === 0 ? w.toLowerCase() : w.charAt(0).toUpperCase() + w.slice(1))).join('');
  return code.replace(/^[^a-z]+/, '').slice(0, 40);
}

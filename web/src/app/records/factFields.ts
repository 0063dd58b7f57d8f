import { ChangeDetectionStrategy, Component, computed, input, model } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { choiceStep, factApplies, pointsElsewhere, valuesOf, type FactDefinition, type FactValue } from '@key-cellar/core/records';
import { AutoComplete } from 'primeng/autocomplete';
import { InputText } from 'primeng/inputtext';
import { MultiSelect } from 'primeng/multiselect';
import { Select } from 'primeng/select';
import { Textarea } from 'primeng/textarea';
import { DateField } from '../kit/dateField';
import { ThingField } from '../kit/thingField';

export type FactValues = Record<string, FactValue>;

interface ChoiceOption {
  readonly value: string;
  readonly name: string;
  readonly depth: number;
}

/** Fields for the facts of a record type, laid out as it says. Empty ones, and those that are not asked now, are left out of the value. */
@Component({
  selector: 'kc-fact-fields',
  imports: [DateField, AutoComplete, FormsModule, InputText, MultiSelect, Select, Textarea, ThingField],
  templateUrl: './factFields.html',
  styleUrl: './factFields.css',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class FactFields {
  readonly facts = input.required<readonly FactDefinition[]>();
  readonly values = model.required<FactValues>();
  /** What things are called that the values point at. */
  readonly names = input<Readonly<Record<string, string>>>({});
  /** Sentences on wrong values, by fact. */
  readonly wrong = input<Readonly<Record<string, string>>>({});
  readonly prefix = input('fact-');
  protected readonly asked = computed(() => this.facts().filter((fact) => factApplies(fact, this.values())));
  protected readonly points = pointsElsewhere;
  protected readonly valuesOf = valuesOf;

  /** The choices of a tree stand below their branch, each with its last part only. */
  protected options(fact: FactDefinition): ChoiceOption[] {
    return (fact.choices ?? []).map((value) => {
      const parts = value.split(choiceStep);
      return { value, name: parts.at(-1)!, depth: parts.length - 1 };
    });
  }

  protected ids(fact: FactDefinition): readonly string[] {
    return valuesOf(this.values()[fact.code]).map(String);
  }

  protected setIds(fact: FactDefinition, ids: readonly string[]): void {
    this.set(fact, fact.many ? ids : (ids[0] ?? null));
  }

  /** Many texts or numbers, typed one after another. */
  protected setMany(fact: FactDefinition, given: readonly unknown[] | null): void {
    const texts = [...new Set((given ?? []).map((v) => String(v).trim()).filter(Boolean))];
    const asNumber = fact.kind === 'whole' || fact.kind === 'decimal' || fact.kind === 'money';
    this.set(fact, asNumber ? texts.map((text) => (Number.isFinite(Number(text)) ? Number(text) : text)) : texts);
  }

  protected set(fact: FactDefinition, value: FactValue | null): void {
    const { [fact.code]: _old, ...others } = this.values();
    const empty = value === null || value === '' || (Array.isArray(value) && value.length === 0);
    let values: FactValues = empty ? others : { ...others, [fact.code]: value };
    // What is no longer asked goes with what it was asked because of; one may hang on another.
    for (const definition of this.facts()) {
      if (definition.code in values && !factApplies(definition, values)) {
        const { [definition.code]: _gone, ...rest } = values;
        values = rest;
      }
    }
    this.values.set(values);
  }
}

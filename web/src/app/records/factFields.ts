import { ChangeDetectionStrategy, Component, input, model } from '@angular/core';
import { FormsModule } from '@angular/forms';
import type { FactDefinition } from '@key-cellar/core/records';
import { InputText } from 'primeng/inputtext';
import { Select } from 'primeng/select';
import { Textarea } from 'primeng/textarea';

export type FactValues = Record<string, string | number | boolean>;

/** Fields for the facts of a record type. Empty ones are left out of the value. */
@Component({
  selector: 'kc-fact-fields',
  imports: [FormsModule, InputText, Select, Textarea],
  template: `
    @for (fact of facts(); track fact.code) {
      <div class="field">
        <label [id]="prefix() + fact.code + '-label'" [for]="prefix() + fact.code">
          {{ fact.title }}
          @if (fact.required) {
            <span class="quiet" i18n> (required)</span>
          }
        </label>
        @switch (fact.kind) {
          @case ('choice') {
            <p-select
              [inputId]="prefix() + fact.code"
              [ariaLabelledBy]="prefix() + fact.code + '-label'"
              appendTo="body"
              [options]="$any(fact.choices)"
              [showClear]="true"
              [ngModel]="values()[fact.code]"
              (ngModelChange)="set(fact, $event)"
              [ngModelOptions]="{ standalone: true }"
            />
          }
          @case ('yesNo') {
            <input
              type="checkbox"
              [id]="prefix() + fact.code"
              [ngModel]="values()[fact.code]"
              (ngModelChange)="set(fact, $event)"
              [ngModelOptions]="{ standalone: true }"
            />
          }
          @case ('longText') {
            <textarea
              pTextarea
              rows="3"
              [id]="prefix() + fact.code"
              [ngModel]="values()[fact.code]"
              (ngModelChange)="set(fact, $event)"
              [ngModelOptions]="{ standalone: true }"
            ></textarea>
          }
          @case ('whole') {
            <!-- The type is written out: a bound one would give text instead of numbers. -->
            <input
              pInputText
              type="number"
              step="1"
              [id]="prefix() + fact.code"
              [ngModel]="values()[fact.code]"
              (ngModelChange)="set(fact, $event)"
              [ngModelOptions]="{ standalone: true }"
            />
          }
          @case ('decimal') {
            <input
              pInputText
              type="number"
              step="any"
              [id]="prefix() + fact.code"
              [ngModel]="values()[fact.code]"
              (ngModelChange)="set(fact, $event)"
              [ngModelOptions]="{ standalone: true }"
            />
          }
          @default {
            <input
              pInputText
              [id]="prefix() + fact.code"
              [type]="fact.kind === 'date' ? 'date' : 'text'"
              [ngModel]="values()[fact.code]"
              (ngModelChange)="set(fact, $event)"
              [ngModelOptions]="{ standalone: true }"
            />
          }
        }
        @if (wrong()[fact.code]; as sentence) {
          <span class="wrong">{{ sentence }}</span>
        }
      </div>
    }
  `,
  styles: ':host { display: grid; gap: 12px; }',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class FactFields {
  readonly facts = input.required<readonly FactDefinition[]>();
  readonly values = model.required<FactValues>();
  /** Sentences on wrong values, by fact. */
  readonly wrong = input<Readonly<Record<string, string>>>({});
  readonly prefix = input('fact-');

  protected set(fact: FactDefinition, value: string | number | boolean | null): void {
    const { [fact.code]: _old, ...others } = this.values();
    this.values.set(value === null || value === '' ? others : { ...others, [fact.code]: value });
  }
}

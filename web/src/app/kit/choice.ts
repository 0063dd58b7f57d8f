import { ChangeDetectionStrategy, Component, computed, input, output, viewChild } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Select } from 'primeng/select';

/** One thing that can be chosen. */
export interface Option<T> {
  readonly name: string;
  readonly value: T;
}

/** A list longer than this gets a line to search in. */
export const searchedFrom = 8;

/** A field with its label in which one of several things is chosen; long lists can be searched, and some left open. */
@Component({
  selector: 'kc-choice',
  imports: [FormsModule, Select],
  template: `
    <label [id]="labelId()" [for]="field()" [class.sr]="!labelled()">{{ label() }}</label>
    <p-select
      [inputId]="field()"
      [ariaLabelledBy]="labelId()"
      appendTo="body"
      [options]="$any(options())"
      optionLabel="name"
      optionValue="value"
      [filter]="options().length > searchedFrom"
      [showClear]="open()"
      [placeholder]="placeholder()"
      [ngModel]="value()"
      [ngModelOptions]="{ standalone: true }"
      (ngModelChange)="valueChange.emit($event)"
      (onFilter)="first()"
    />
  `,
  host: { class: 'field' },
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class Choice<T> {
  /** Id of the field, for its label. */
  readonly field = input.required<string>();
  readonly label = input.required<string>();
  readonly options = input.required<readonly Option<T>[]>();
  readonly placeholder = input('');
  /** May it be left open again once something was chosen? */
  readonly open = input(false);
  /** Is the label to be seen, or does the list stand in a row where it would only repeat itself? */
  readonly labelled = input(true);
  readonly value = input<T | null | undefined>(null);
  /** The value that was chosen; null when it was left open. */
  readonly valueChange = output<T>();
  protected readonly labelId = computed(() => `${this.field()}-label`);
  protected readonly searchedFrom = searchedFrom;
  private readonly list = viewChild.required(Select);

  /** Enter takes the first that was found. */
  protected first(): void {
    this.list().focusedOptionIndex.set(this.list().findFirstOptionIndex() as number);
  }
}

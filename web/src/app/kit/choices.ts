import { ChangeDetectionStrategy, Component, computed, input, output, viewChild } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MultiSelect } from 'primeng/multiselect';
import { searchedFrom, type Option } from './choice';

/** A field with its label in which several of some things are chosen; long lists can be searched. */
@Component({
  selector: 'kc-choices',
  imports: [FormsModule, MultiSelect],
  template: `
    <label [id]="labelId()" [for]="field()">{{ label() }}</label>
    <p-multiselect
      [inputId]="field()"
      [ariaLabelledBy]="labelId()"
      appendTo="body"
      display="chip"
      [options]="$any(options())"
      optionLabel="name"
      optionValue="value"
      [filter]="searched()"
      [showToggleAll]="all()"
      [showHeader]="searched() || all()"
      [virtualScroll]="options().length > drawnAtOnce"
      [virtualScrollItemSize]="32"
      [placeholder]="placeholder()"
      selectedItemsLabel="{0} chosen"
      i18n-selectedItemsLabel
      [disabled]="disabled()"
      [ngModel]="value()"
      [ngModelOptions]="{ standalone: true }"
      (ngModelChange)="valueChange.emit($event ?? [])"
      (onFilter)="first()"
    />
  `,
  host: { class: 'field' },
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class Choices<T> {
  /** Id of the field, for its label. */
  readonly field = input.required<string>();
  readonly label = input.required<string>();
  readonly options = input.required<readonly Option<T>[]>();
  /** What no choice means. */
  readonly placeholder = input($localize`Nothing chosen`);
  /** Can all be chosen at once? */
  readonly all = input(false);
  readonly disabled = input(false);
  readonly value = input<readonly T[]>([]);
  readonly valueChange = output<T[]>();
  protected readonly labelId = computed(() => `${this.field()}-label`);
  protected readonly searched = computed(() => this.options().length > searchedFrom);
  protected readonly drawnAtOnce = 100;
  private readonly list = viewChild.required(MultiSelect);

  /** Enter takes the first that was found. */
  protected first(): void {
    this.list().focusedOptionIndex.set(this.list().findFirstOptionIndex() as number);
  }
}

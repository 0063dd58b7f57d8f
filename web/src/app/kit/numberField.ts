import { ChangeDetectionStrategy, Component, input, output } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { InputText } from 'primeng/inputtext';

/** A field for a number with its label, between which bounds it may be, and how it is meant. */
@Component({
  selector: 'kc-number-field',
  imports: [FormsModule, InputText],
  template: `
    <label [for]="field()">{{ label() }}</label>
    <!-- The type is written out: a bound one would give text instead of numbers. -->
    <input
      pInputText
      type="number"
      [id]="field()"
      [attr.min]="min()"
      [attr.max]="max()"
      [attr.step]="step()"
      [attr.aria-invalid]="wrong() ? true : null"
      [attr.aria-describedby]="wrong() || hint() ? field() + '-said' : null"
      [ngModel]="value()"
      [ngModelOptions]="{ standalone: true }"
      (ngModelChange)="valueChange.emit($event)"
    />
    @if (wrong()) {
      <span class="wrong" [id]="field() + '-said'" i18n>must be a whole number from {{ min() }} to {{ max() }}</span>
    } @else if (hint()) {
      <span class="hint" [id]="field() + '-said'">{{ hint() }}</span>
    }
  `,
  host: { class: 'field' },
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class NumberField {
  readonly field = input.required<string>();
  readonly label = input.required<string>();
  readonly min = input<number>();
  readonly max = input<number>();
  /** What it goes up by; `any` where it need not be whole. */
  readonly step = input<number | 'any'>(1);
  readonly hint = input('');
  /** Whatever is wrong with it: what is said names its bounds. */
  readonly wrong = input<string | boolean>();
  readonly value = input<number | null>();
  /** The number; null while there is none. It may lie outside of the bounds: what asks for it says so. */
  readonly valueChange = output<number>();
}

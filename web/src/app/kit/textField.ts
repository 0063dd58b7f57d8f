import { ChangeDetectionStrategy, Component, input, output } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { InputText } from 'primeng/inputtext';

/** A field for a line of text with its label, what is wrong with it or how it is meant, and what is often written in it. */
@Component({
  selector: 'kc-text-field',
  imports: [FormsModule, InputText],
  template: `
    <label [for]="field()">{{ label() }}</label>
    <input
      pInputText
      [id]="field()"
      [type]="type()"
      [attr.autocomplete]="known().length > 0 ? 'off' : null"
      [attr.maxlength]="maxlength()"
      [attr.list]="known().length > 0 ? field() + '-known' : null"
      [placeholder]="placeholder()"
      [attr.aria-invalid]="wrong() ? true : null"
      [attr.aria-describedby]="wrong() || hint() ? field() + '-said' : null"
      [ngModel]="value()"
      [ngModelOptions]="{ standalone: true }"
      (ngModelChange)="valueChange.emit($event)"
    />
    @if (known().length > 0) {
      <datalist [id]="field() + '-known'">
        @for (text of known(); track text) {
          <option [value]="text"></option>
        }
      </datalist>
    }
    @if (wrong(); as sentence) {
      <span class="wrong" [id]="field() + '-said'">{{ sentence }}</span>
    } @else if (hint()) {
      <span class="hint" [id]="field() + '-said'">{{ hint() }}</span>
    }
  `,
  host: { class: 'field' },
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class TextField {
  readonly field = input.required<string>();
  readonly label = input.required<string>();
  readonly type = input<'text' | 'url'>('text');
  readonly maxlength = input<number>();
  readonly placeholder = input('');
  readonly hint = input('');
  readonly wrong = input<string>();
  /** Offered while one types. */
  readonly known = input<readonly string[]>([]);
  readonly value = input<string | null>();
  readonly valueChange = output<string>();
}

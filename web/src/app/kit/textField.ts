import { ChangeDetectionStrategy, Component, input, output } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { InputText } from 'primeng/inputtext';

/** A field for a line of text with its label, what is wrong with it or how it is meant, and what is often written in it. */
@Component({
  selector: 'kc-text-field',
  imports: [FormsModule, InputText],
  template: `
    <label [for]="field()" [class.sr]="!labelled()">{{ label() }}</label>
    <input
      pInputText
      [id]="field()"
      [type]="type()"
      [class.mono]="mono()"
      [attr.autocomplete]="known().length > 0 ? 'off' : null"
      [attr.maxlength]="maxlength()"
      [attr.list]="known().length > 0 ? field() + '-known' : null"
      [placeholder]="placeholder()"
      [disabled]="disabled()"
      [attr.aria-required]="needed() || null"
      [attr.aria-invalid]="wrong() ? true : null"
      [attr.aria-describedby]="wrong() || hint() ? field() + '-said' : null"
      [ngModel]="value()"
      [ngModelOptions]="{ standalone: true, updateOn: late() ? 'blur' : 'change' }"
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
  /** Codes are typed in letters of one width. */
  readonly mono = input(false);
  readonly needed = input(false);
  readonly disabled = input(false);
  /** Is the label to be seen, or does the field stand in a row where it would only repeat itself? */
  readonly labelled = input(true);
  /** Whether it is read only when one leaves it, since it is written anew in its own form. */
  readonly late = input(false);
  /** Offered while one types. */
  readonly known = input<readonly string[]>([]);
  readonly value = input<string | null>();
  readonly valueChange = output<string>();
}

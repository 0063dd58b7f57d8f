import { ChangeDetectionStrategy, Component, input, output } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Textarea } from 'primeng/textarea';

/** A field for several lines of text with its label, and what is wrong with it or how it is meant. */
@Component({
  selector: 'kc-long-text-field',
  imports: [FormsModule, Textarea],
  template: `
    <label [for]="field()">{{ label() }}</label>
    <textarea
      pTextarea
      [id]="field()"
      [rows]="rows()"
      [class.mono]="mono()"
      [attr.maxlength]="maxlength()"
      [placeholder]="placeholder()"
      [attr.aria-required]="needed() || null"
      [attr.aria-invalid]="wrong() ? true : null"
      [attr.aria-describedby]="wrong() || hint() ? field() + '-said' : null"
      [ngModel]="value()"
      [ngModelOptions]="{ standalone: true, updateOn: late() ? 'blur' : 'change' }"
      (ngModelChange)="valueChange.emit($event)"
    ></textarea>
    @if (wrong(); as sentence) {
      <span class="wrong" [id]="field() + '-said'">{{ sentence }}</span>
    } @else if (hint()) {
      <span class="hint" [id]="field() + '-said'">{{ hint() }}</span>
    }
  `,
  host: { class: 'field' },
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class LongTextField {
  readonly field = input.required<string>();
  readonly label = input.required<string>();
  readonly rows = input(3);
  readonly maxlength = input<number>();
  readonly placeholder = input('');
  readonly hint = input('');
  readonly wrong = input<string>();
  /** Codes and tables are typed in letters of one width. */
  readonly mono = input(false);
  readonly needed = input(false);
  /** Whether it is read only when one leaves it, since it is written anew in its own form. */
  readonly late = input(false);
  readonly value = input<string | null>();
  readonly valueChange = output<string>();
}

import { ChangeDetectionStrategy, Component, input, linkedSignal, output } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { formatPeriod, readPeriod } from '@key-cellar/core/calendar';
import { InputText } from 'primeng/inputtext';
import { periodWords } from './words';

/**
 * A field for a length of time, typed and shown in words ("7 years", "18 months"). In and out goes ISO 8601 (`P7Y`);
 * what is no period goes out as it was typed, for the schema of the form to refuse.
 */
@Component({
  selector: 'kc-period-field',
  imports: [FormsModule, InputText],
  template: `
    <label [for]="field()">{{ label() }}</label>
    <input
      pInputText
      [id]="field()"
      autocomplete="off"
      maxlength="60"
      [attr.aria-invalid]="wrong() ? true : null"
      [attr.aria-describedby]="wrong() ? field() + '-wrong' : null"
      [ngModel]="text()"
      [ngModelOptions]="{ standalone: true }"
      (ngModelChange)="type($event)"
      (blur)="text.set(words())"
    />
    @if (wrong()) {
      <span class="wrong" [id]="field() + '-wrong'" i18n>must be a length of time such as 7 years, 18 months or 90 days</span>
    }
  `,
  host: { class: 'field' },
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class PeriodField {
  readonly field = input.required<string>();
  readonly label = input.required<string>();
  readonly value = input<string>();
  readonly wrong = input<string>();
  readonly valueChange = output<string>();

  protected readonly words = (): string => periodWords(this.value() ?? '');
  /** As it is being typed: a value that comes of the typing does not change it under the hands. */
  protected readonly text = linkedSignal<string | undefined, string>({
    source: this.value,
    computation: (value, before) => (before && iso(before.value) === value ? before.value : periodWords(value ?? '')),
  });

  protected type(text: string): void {
    this.text.set(text);
    this.valueChange.emit(iso(text));
  }
}

function iso(text: string): string {
  const period = readPeriod(text);
  return period ? formatPeriod(period) : text;
}

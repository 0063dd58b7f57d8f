import { ChangeDetectionStrategy, Component, computed, inject, input, output } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { schedule } from '@key-cellar/contract';
import { InputText } from 'primeng/inputtext';
import { Api } from '../kit/api';
import { loaded } from '../kit/loaded';

/** A field for the type of an event: those that rules count from are offered, others may be typed. */
@Component({
  selector: 'kc-event-type-field',
  imports: [FormsModule, InputText],
  template: `
    <label [for]="field()">{{ label() }}</label>
    <input
      pInputText
      [id]="field()"
      autocomplete="off"
      maxlength="80"
      [attr.list]="field() + '-known'"
      [attr.aria-invalid]="wrong() ? true : null"
      [attr.aria-describedby]="wrong() ? field() + '-wrong' : null"
      [ngModel]="value()"
      [ngModelOptions]="{ standalone: true }"
      (ngModelChange)="valueChange.emit($event)"
    />
    <datalist [id]="field() + '-known'">
      @for (known of known(); track known) {
        <option [value]="known"></option>
      }
    </datalist>
    @if (wrong(); as sentence) {
      <span class="wrong" [id]="field() + '-wrong'">{{ sentence }}</span>
    }
  `,
  host: { class: 'field' },
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class EventTypeField {
  private readonly api = inject(Api);
  readonly field = input.required<string>();
  readonly label = input.required<string>();
  readonly value = input.required<string>();
  readonly wrong = input<string>();
  readonly valueChange = output<string>();

  private readonly rules = loaded(() => this.api.call(schedule.rules));
  protected readonly known = computed(() =>
    [
      ...new Set(
        (this.rules.value()?.rules ?? []).flatMap((r) => (r.definition.trigger.kind === 'event' ? [r.definition.trigger.eventType] : [])),
      ),
    ].sort(),
  );
}

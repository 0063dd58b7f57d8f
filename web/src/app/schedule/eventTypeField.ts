import { ChangeDetectionStrategy, Component, computed, inject, input, output } from '@angular/core';
import { schedule } from '@key-cellar/contract';
import { Api } from '../kit/api';
import { loaded } from '../kit/loaded';
import { TextField } from '../kit/textField';

/** A field for the type of an event, as the list of the repository has it. */
@Component({
  selector: 'kc-event-type-field',
  imports: [TextField],
  template: `
    <kc-text-field
      [field]="field()"
      [label]="label()"
      [maxlength]="80"
      [known]="known()"
      [value]="value()"
      [wrong]="wrong()"
      (valueChange)="valueChange.emit($event)"
    />
  `,
  styles: `
    :host {
      display: block;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class EventTypeField {
  private readonly api = inject(Api);
  readonly field = input.required<string>();
  readonly label = input.required<string>();
  readonly value = input.required<string>();
  readonly wrong = input<string>();
  readonly valueChange = output<string>();

  private readonly types = loaded(() => this.api.call(schedule.eventTypes));
  protected readonly known = computed(() => (this.types.value()?.types ?? []).map((t) => t.name));
}

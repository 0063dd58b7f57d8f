import { ChangeDetectionStrategy, Component, computed, inject, input, output } from '@angular/core';
import { schedule } from '@key-cellar/contract';
import { Api } from '../kit/api';
import { loaded } from '../kit/loaded';
import { TextField } from '../kit/textField';

/** A field for the type of an event: those that rules count from are offered, others may be typed. */
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

  private readonly rules = loaded(() => this.api.call(schedule.rules));
  protected readonly known = computed(() =>
    [
      ...new Set(
        (this.rules.value()?.rules ?? []).flatMap((r) => (r.definition.trigger.kind === 'event' ? [r.definition.trigger.eventType] : [])),
      ),
    ].sort(),
  );
}

import { ChangeDetectionStrategy, Component, computed, inject, input, output } from '@angular/core';
import { schedule } from '@key-cellar/contract';
import { Api } from '../kit/api';
import { Choices } from '../kit/choices';
import { loaded } from '../kit/loaded';
import { asTree } from './jurisdictionTree';

/** Which jurisdictions: chosen from the tree. */
@Component({
  selector: 'kc-jurisdictions-field',
  imports: [Choices],
  template: `
    <kc-choices
      [field]="field()"
      [label]="label()"
      [placeholder]="placeholder()"
      [options]="options()"
      [value]="value()"
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
export class JurisdictionsField {
  private readonly api = inject(Api);
  readonly field = input.required<string>();
  readonly label = input.required<string>();
  readonly placeholder = input('');
  readonly value = input<readonly string[]>([]);
  readonly valueChange = output<string[]>();
  private readonly page = loaded(() => this.api.call(schedule.jurisdictions));
  protected readonly options = computed(() =>
    asTree(this.page.value()?.jurisdictions ?? []).map((j) => ({ value: j.name, name: `${'  '.repeat(j.depth)}${j.name}` })),
  );
}

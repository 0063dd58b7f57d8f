import { ChangeDetectionStrategy, Component, computed, inject, input, output } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { schedule } from '@key-cellar/contract';
import { MultiSelect } from 'primeng/multiselect';
import { Api } from '../kit/api';
import { loaded } from '../kit/loaded';
import { asTree } from './jurisdictionTree';

/** Which jurisdictions: chosen from the tree. */
@Component({
  selector: 'kc-jurisdictions-field',
  imports: [FormsModule, MultiSelect],
  template: `
    <label [id]="field() + '-label'" [for]="field()">{{ label() }}</label>
    <p-multiselect
      [inputId]="field()"
      [ariaLabelledBy]="field() + '-label'"
      appendTo="body"
      [options]="options()"
      optionLabel="name"
      optionValue="value"
      [showToggleAll]="false"
      [showHeader]="false"
      [placeholder]="placeholder()"
      [ngModel]="value()"
      [ngModelOptions]="{ standalone: true }"
      (ngModelChange)="valueChange.emit($event ?? [])"
    />
  `,
  host: { class: 'field' },
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

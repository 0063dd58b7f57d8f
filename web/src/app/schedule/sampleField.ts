import { ChangeDetectionStrategy, Component, computed, inject, input, linkedSignal, output } from '@angular/core';
import { FormsModule } from '@angular/forms';
import type { RuleDefinition } from '@key-cellar/contract';
import { printCriteria, type AskedCriteria, type Criteria } from '@key-cellar/core/criteria';
import { InputText } from 'primeng/inputtext';
import { EMPTY } from 'rxjs';
import { CriteriaField, VocabularyService } from '../criteria/index';
import { Choice } from '../kit/choice';
import { loaded } from '../kit/loaded';

type Sample = NonNullable<RuleDefinition['sample']>;
type Kind = Sample['kind'] | 'none';

const kinds: readonly { readonly value: Kind; readonly name: string }[] = [
  { value: 'none', name: $localize`nothing` },
  { value: 'everyNth', name: $localize`every nth by number` },
  { value: 'share', name: $localize`a share by lot` },
  { value: 'criteria', name: $localize`what criteria match` },
];

/** What of the records that a rule destroys is kept for good, as a sample of them all. */
@Component({
  selector: 'kc-sample-field',
  imports: [Choice, CriteriaField, FormsModule, InputText],
  template: `
    <kc-choice field="rule-sample" label="Kept as a sample" i18n-label [options]="kinds" [value]="kind()" (valueChange)="choose($event)" />
    @if (counted(); as c) {
      <div class="field" data-path="sample.n">
        <label for="rule-sample-n" i18n>{c.kind, select, share {One in} other {One in every}}</label>
        <input
          pInputText
          id="rule-sample-n"
          type="number"
          min="2"
          max="99999"
          [attr.aria-invalid]="says()['sample.n'] ? true : null"
          [ngModel]="c.n"
          [ngModelOptions]="{ standalone: true }"
          (ngModelChange)="sampleChange.emit({ kind: c.kind, n: $event })"
        />
        @if (says()['sample.n']) {
          <span class="wrong" i18n>must be a number from 2 on</span>
        }
      </div>
    }
    @if (kind() === 'criteria') {
      <kc-criteria-field
        field="rule-sample-criteria"
        label="Which records"
        i18n-label
        [relative]="false"
        [(text)]="text"
        (read)="take($event)"
      />
    }
  `,
  styles: `
    :host {
      display: contents;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class SampleField {
  readonly sample = input<RuleDefinition['sample']>();
  readonly says = input<Readonly<Record<string, string>>>({});
  readonly sampleChange = output<Sample | undefined>();

  private readonly service = inject(VocabularyService);
  private readonly byCriteria = computed(() => this.sample()?.kind === 'criteria');
  private readonly words = loaded(() => (this.byCriteria() ? this.service.get() : EMPTY));
  protected readonly kinds = kinds;
  protected readonly kind = computed<Kind>(() => this.sample()?.kind ?? 'none');
  protected readonly counted = computed(() => {
    const sample = this.sample();
    return sample && sample.kind !== 'criteria' ? sample : null;
  });
  /** As it is being typed: what comes of the typing does not change it under the hands. */
  protected readonly text = linkedSignal<{ kind: Kind; known: boolean }, string>({
    source: () => ({ kind: this.kind(), known: this.words.value() !== undefined }),
    computation: () => {
      const [sample, vocabulary] = [this.sample(), this.words.value()];
      return sample?.kind === 'criteria' && vocabulary ? printCriteria(sample.criteria, vocabulary) : '';
    },
  });

  protected choose(kind: Kind): void {
    this.sampleChange.emit(
      kind === 'none' ? undefined : kind === 'criteria' ? { kind, criteria: { op: 'and', of: [] } } : { kind, n: this.counted()?.n ?? 20 },
    );
  }

  /** Dates against today are not offered here, so that what is read can be kept. */
  protected take(criteria: AskedCriteria | null): void {
    if (criteria) this.sampleChange.emit({ kind: 'criteria', criteria: criteria as Criteria });
  }
}

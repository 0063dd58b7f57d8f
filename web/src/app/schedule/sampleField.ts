import { ChangeDetectionStrategy, Component, computed, inject, input, linkedSignal, output } from '@angular/core';
import type { RuleDefinition } from '@key-cellar/contract';
import { printCriteria, type AskedCriteria, type Criteria } from '@key-cellar/core/criteria';
import { EMPTY } from 'rxjs';
import { CriteriaField, VocabularyService } from '../criteria/index';
import { Choice } from '../kit/choice';
import { NumberField } from '../kit/numberField';
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
  imports: [Choice, CriteriaField, NumberField],
  template: `
    <kc-choice field="rule-sample" label="Kept as a sample" i18n-label [options]="kinds" [value]="kind()" (valueChange)="choose($event)" />
    @if (counted(); as c) {
      <kc-number-field
        data-path="sample.n"
        field="rule-sample-n"
        [label]="c.kind === 'share' ? labels.share : labels.every"
        [min]="2"
        [max]="99999"
        [wrong]="says()['sample.n']"
        [value]="c.n"
        (valueChange)="sampleChange.emit({ kind: c.kind, n: $event })"
      />
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
  protected readonly labels = { share: $localize`One in`, every: $localize`One in every` };
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

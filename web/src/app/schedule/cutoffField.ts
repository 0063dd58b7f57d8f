import { ChangeDetectionStrategy, Component, computed, inject, input, output } from '@angular/core';
import { schedule, type RuleDefinition } from '@key-cellar/contract';
import { EMPTY } from 'rxjs';
import { localeOf } from '../../words/language';
import { Api } from '../kit/api';
import { Choice } from '../kit/choice';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { NumberField } from '../kit/numberField';

type Cutoff = RuleDefinition['cutoff'];

const cutoffKinds = [
  { value: 'none', name: $localize`no cutoff` },
  { value: 'month', name: $localize`end of the month` },
  { value: 'quarter', name: $localize`end of the quarter` },
  { value: 'halfYear', name: $localize`end of the half-year` },
  { value: 'calendarYear', name: $localize`end of the calendar year` },
  { value: 'fiscalYear', name: $localize`end of the fiscal year` },
  { value: 'namedYear', name: $localize`end of a named year` },
] as const;

/** The fields of a cutoff: what a clock is rolled to, and when a fiscal year begins or which named year it is. */
@Component({
  selector: 'kc-cutoff-field',
  imports: [Choice, NumberField, ProblemNotice],
  template: `
    <kc-problem [problem]="years.problem()" />
    <kc-choice
      field="rule-cutoff"
      label="Rolled to"
      i18n-label
      [options]="cutoffKinds"
      [value]="cutoff().kind"
      (valueChange)="choose($event)"
    />
    @let c = cutoff();
    @switch (c.kind) {
      @case ('fiscalYear') {
        <kc-choice
          field="rule-month"
          label="It begins in"
          i18n-label
          [options]="months"
          [value]="c.firstMonth"
          (valueChange)="cutoffChange.emit({ kind: 'fiscalYear', firstMonth: $event, firstDay: c.firstDay })"
        />
        <kc-number-field
          data-path="cutoff.firstDay"
          field="rule-day"
          label="on day"
          i18n-label
          [min]="1"
          [max]="31"
          [wrong]="says()['cutoff.firstDay']"
          [value]="c.firstDay"
          (valueChange)="cutoffChange.emit({ kind: 'fiscalYear', firstMonth: c.firstMonth, firstDay: $event })"
        />
      }
      @case ('namedYear') {
        <div class="field" data-path="cutoff.name">
          <kc-choice
            field="rule-year"
            label="Which year"
            i18n-label
            placeholder="choose one"
            i18n-placeholder
            [options]="namedYears()"
            [value]="c.name"
            (valueChange)="cutoffChange.emit({ kind: 'namedYear', name: $event })"
          />
          @if (says()['cutoff.name']) {
            <span class="wrong" i18n>must be chosen; years are listed under Events and years</span>
          }
        </div>
      }
    }
  `,
  styles: `
    :host {
      display: contents;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class CutoffField {
  private readonly api = inject(Api);
  readonly cutoff = input.required<Cutoff>();
  /** What is wrong with the rule, by the path of the field. */
  readonly says = input<Readonly<Record<string, string>>>({});
  readonly cutoffChange = output<Cutoff>();

  protected readonly cutoffKinds = cutoffKinds;
  protected readonly months = Array.from({ length: 12 }, (_, i) => ({
    value: i + 1,
    name: new Date(2000, i, 1).toLocaleString(localeOf, { month: 'long' }),
  }));
  private readonly isNamed = computed(() => this.cutoff().kind === 'namedYear');
  protected readonly years = loaded(() => (this.isNamed() ? this.api.call(schedule.namedYears) : EMPTY));
  /** Named years, the one that it rolls to among them though it may not be listed any more. */
  protected readonly namedYears = computed(() => {
    const cutoff = this.cutoff();
    const known = (this.years.value()?.years ?? []).map((y) => y.name);
    const all = cutoff.kind === 'namedYear' && cutoff.name && !known.includes(cutoff.name) ? [...known, cutoff.name] : known;
    return all.map((name) => ({ name, value: name }));
  });

  protected choose(kind: Cutoff['kind']): void {
    switch (kind) {
      case 'fiscalYear':
        return this.cutoffChange.emit({ kind, firstMonth: 4, firstDay: 1 });
      case 'namedYear':
        return this.cutoffChange.emit({ kind, name: '' });
      default:
        return this.cutoffChange.emit({ kind });
    }
  }
}

import { Pipe, type PipeTransform } from '@angular/core';
import { pointsElsewhere, valuesOf, type FactDefinition, type FactValue } from '@key-cellar/core/records';
import { localeOf } from '../../words/language';
import { dayWords } from '../kit/words';

/** The value of a fact as people read it; what it points at by its name. */
@Pipe({ name: 'factWords' })
export class FactWordsPipe implements PipeTransform {
  transform(value: FactValue | undefined, fact: FactDefinition, names: Readonly<Record<string, string>> = {}): string {
    return valuesOf(value)
      .map((one) => {
        if (typeof one === 'boolean') return one ? $localize`yes` : $localize`no`;
        if (pointsElsewhere(fact.kind)) return names[String(one)] ?? $localize`(hidden from you)`;
        if (fact.kind === 'date' && /^\d{4}-\d{2}-\d{2}$/.test(String(one))) return dayWords(String(one));
        if (fact.kind === 'money' && typeof one === 'number') {
          return `${new Intl.NumberFormat(localeOf, { minimumFractionDigits: 2 }).format(one)} ${fact.currency ?? ''}`.trim();
        }
        return String(one);
      })
      .join(', ');
  }
}

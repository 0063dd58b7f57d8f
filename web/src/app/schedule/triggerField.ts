import { ChangeDetectionStrategy, Component, computed, inject, input, output } from '@angular/core';
import { records } from '@key-cellar/contract';
import { describeTrigger, recordDates, type SimpleTrigger } from '@key-cellar/core/schedule';
import { EMPTY } from 'rxjs';
import { say } from '../../words/say';
import { Api } from '../kit/api';
import { Choice } from '../kit/choice';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { byWords } from '../kit/words';
import { EventTypeField } from './eventTypeField';

type Kind = SimpleTrigger['kind'];

/** What a clock can start with. */
export const simpleKinds: readonly { readonly value: Kind; readonly name: string }[] = [
  { value: 'recordDate', name: $localize`a date of the record` },
  { value: 'fact', name: $localize`a date fact` },
  { value: 'folderClosed', name: $localize`the closing of its folder` },
  { value: 'event', name: $localize`an event outside` },
  { value: 'unreferenced', name: $localize`the day nothing refers to it any more` },
];
const occurrences = [
  { value: 'last', name: $localize`the last time counts` },
  { value: 'first', name: $localize`the first time counts` },
] as const;
const datesOf = [
  { value: 'last', name: $localize`the last one counts` },
  { value: 'first', name: $localize`the first one counts` },
] as const;

/** What one of a kind begins with. */
export const emptyTrigger: Readonly<Record<Kind, SimpleTrigger>> = {
  recordDate: { kind: 'recordDate', date: 'created' },
  fact: { kind: 'fact', fact: '' },
  folderClosed: { kind: 'folderClosed' },
  event: { kind: 'event', eventType: '', occurrence: 'last' },
  unreferenced: { kind: 'unreferenced', fact: '' },
};

interface KnownFact {
  readonly value: string;
  readonly name: string;
  readonly many: boolean;
}

/** The fields of one thing that starts a clock, besides its kind: which date, which fact, which event. */
@Component({
  selector: 'kc-trigger-field',
  imports: [Choice, EventTypeField, ProblemNotice],
  template: `
    <kc-problem [problem]="types.problem()" />
    @let t = trigger();
    @switch (t.kind) {
      @case ('recordDate') {
        <kc-choice
          [field]="field() + '-date'"
          label="Which date"
          i18n-label
          [options]="dates"
          [value]="t.date"
          (valueChange)="triggerChange.emit({ kind: 'recordDate', date: $event })"
        />
      }
      @case ('fact') {
        <div class="field" [attr.data-path]="path() + '.fact'">
          <kc-choice
            [field]="field() + '-fact'"
            label="Which fact"
            i18n-label
            placeholder="choose a date fact"
            i18n-placeholder
            [options]="facts()"
            [value]="t.fact"
            (valueChange)="triggerChange.emit({ kind: 'fact', fact: $event })"
          />
          @if (says()[path() + '.fact']) {
            <span class="wrong" i18n>must be chosen</span>
          }
        </div>
        @if (severalDates()) {
          <kc-choice
            [field]="field() + '-occurrence'"
            label="Of several dates"
            i18n-label
            [options]="datesOf"
            [value]="t.occurrence ?? 'last'"
            (valueChange)="triggerChange.emit({ kind: 'fact', fact: t.fact, occurrence: $event })"
          />
        }
      }
      @case ('event') {
        <kc-event-type-field
          [attr.data-path]="path() + '.eventType'"
          [field]="field() + '-event'"
          label="Which event"
          i18n-label
          [value]="t.eventType"
          [wrong]="says()[path() + '.eventType']"
          (valueChange)="triggerChange.emit({ kind: 'event', eventType: $event, occurrence: t.occurrence })"
        />
        <kc-choice
          [field]="field() + '-occurrence'"
          label="If it happens again"
          i18n-label
          [options]="occurrences"
          [value]="t.occurrence"
          (valueChange)="triggerChange.emit({ kind: 'event', eventType: t.eventType, occurrence: $event })"
        />
      }
      @case ('unreferenced') {
        <div class="field" [attr.data-path]="path() + '.fact'">
          <kc-choice
            [field]="field() + '-reference'"
            label="By which fact"
            i18n-label
            placeholder="choose a reference"
            i18n-placeholder
            [options]="facts()"
            [value]="t.fact"
            (valueChange)="triggerChange.emit({ kind: 'unreferenced', fact: $event })"
          />
          @if (says()[path() + '.fact']) {
            <span class="wrong" i18n>must be chosen</span>
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
export class TriggerField {
  private readonly api = inject(Api);
  readonly field = input.required<string>();
  /** Where it stands in the definition, such as `trigger.of.1.trigger`. */
  readonly path = input.required<string>();
  readonly trigger = input.required<SimpleTrigger>();
  /** What is wrong, by path. */
  readonly says = input<Readonly<Record<string, string>>>({});
  readonly triggerChange = output<SimpleTrigger>();

  private readonly byFact = computed(() => ['fact', 'unreferenced'].includes(this.trigger().kind));
  protected readonly types = loaded(() => (this.byFact() ? this.api.call(records.types) : EMPTY));
  /** Facts that it can count from, with the types that have them. */
  protected readonly facts = computed((): KnownFact[] => {
    const trigger = this.trigger();
    const kind = trigger.kind === 'unreferenced' ? 'reference' : 'date';
    const found = new Map<string, { title: string; types: string[]; many: boolean }>();
    for (const type of this.types.value()?.types ?? []) {
      for (const fact of type.facts.filter((f) => f.kind === kind)) {
        const known = found.get(fact.code) ?? { title: fact.title, types: [], many: false };
        found.set(fact.code, { ...known, types: [...known.types, type.title], many: known.many || fact.many === true });
      }
    }
    if ((trigger.kind === 'fact' || trigger.kind === 'unreferenced') && trigger.fact && !found.has(trigger.fact))
      found.set(trigger.fact, { title: trigger.fact, types: [], many: false });
    return [...found]
      .map(([value, { title, types, many }]) => ({ value, name: `${title} (${types.join(', ') || $localize`not on any type`})`, many }))
      .sort((a, b) => byWords(a.name, b.name));
  });
  /** Whether the fact that it counts from may have several dates. */
  protected readonly severalDates = computed(() => {
    const trigger = this.trigger();
    return trigger.kind === 'fact' && (trigger.occurrence === 'first' || this.facts().some((f) => f.value === trigger.fact && f.many));
  });
  protected readonly dates = recordDates.map((date) => ({ value: date, name: say(describeTrigger({ kind: 'recordDate', date })) }));
  protected readonly occurrences = occurrences;
  protected readonly datesOf = datesOf;
}

import { NgTemplateOutlet } from '@angular/common';
import { ChangeDetectionStrategy, Component, computed, forwardRef, input, output } from '@angular/core';
import { FormsModule } from '@angular/forms';
import {
  clauseAbout,
  spanUnits,
  subjectOf,
  thingsOf,
  valuesOf,
  verbOf,
  verbsFor,
  withVerb,
  type AskedCriteria,
  type Single,
  type SpanUnit,
  type Verb,
  type Vocabulary,
} from '@key-cellar/core/criteria';
import { Button } from 'primeng/button';
import { InputText } from 'primeng/inputtext';
import { Choice } from '../kit/choice';
import { subjectOptions, verbWords } from './clauseWords';

type Group = Extract<AskedCriteria, { op: 'and' | 'or' }>;

function isGroup(criteria: AskedCriteria): criteria is Group {
  return criteria.op === 'and' || criteria.op === 'or';
}

let serial = 0;

/** One condition or one group of conditions, to be put together by hand. */
@Component({
  selector: 'kc-criteria-node',
  imports: [NgTemplateOutlet, Button, Choice, FormsModule, InputText, forwardRef(() => CriteriaNode)],
  templateUrl: './criteriaNode.html',
  styleUrl: './criteriaNode.css',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class CriteriaNode {
  readonly node = input.required<AskedCriteria>();
  readonly vocabulary = input.required<Vocabulary>();
  readonly today = input.required<string>();
  readonly relative = input(true);
  readonly top = input(false);
  readonly nodeChange = output<AskedCriteria>();
  readonly removed = output();

  protected readonly key = `crit-${serial++}`;
  protected readonly not = computed(() => this.node().op === 'not');
  protected readonly inner = computed<AskedCriteria>(() => {
    const node = this.node();
    return node.op === 'not' ? node.of : node;
  });
  protected readonly group = computed<Group | null>(() => {
    const inner = this.inner();
    return isGroup(inner) ? inner : null;
  });
  protected readonly clause = computed<Single | null>(() => {
    const inner = this.inner();
    return isGroup(inner) || inner.op === 'not' ? null : inner;
  });
  protected readonly subjects = computed(() => subjectOptions(this.vocabulary()));
  protected readonly subject = computed(() => (this.clause() ? subjectOf(this.clause()!) : ''));
  protected readonly verbOptions = computed(() =>
    verbsFor(this.clause()!, this.vocabulary())
      .filter((verb) => this.relative() || (verb !== 'last' && verb !== 'next'))
      .map((verb) => ({ value: verb, name: verbWords[verb] })),
  );
  protected readonly verb = computed(() => verbOf(this.clause()!));
  protected readonly joins = [
    { value: 'and' as const, name: $localize`all of` },
    { value: 'or' as const, name: $localize`any of` },
  ];
  protected readonly units = spanUnits.map((unit) => ({ value: unit, name: `${unit}s` }));
  protected readonly yesNo = [
    { value: true, name: $localize`yes` },
    { value: false, name: $localize`no` },
  ];
  protected readonly values = computed(() => {
    const clause = this.clause();
    const list = clause?.op === 'is' ? valuesOf(clause.field, this.vocabulary()) : [];
    return list.map((v) => ({ value: v.id, name: v.name }));
  });
  protected readonly places = computed(() => this.vocabulary().places.map((p) => ({ value: p.id, name: p.name })));
  protected readonly people = computed(() => this.vocabulary().people.map((p) => ({ value: p.id, name: p.name })));
  protected readonly holds = computed(() => this.vocabulary().holds.map((h) => ({ value: h.id, name: h.name })));
  protected readonly detectors = computed(() => this.vocabulary().detectors.map((d) => ({ value: d.id, name: d.name })));
  protected readonly fact = computed(() => this.vocabulary().facts.find((f) => `fact ${f.code}` === this.subject()));
  protected readonly choices = computed(() => {
    const fact = this.fact();
    const things = fact ? thingsOf(fact.kind, this.vocabulary()) : [];
    return things.length > 0
      ? things.map((t) => ({ value: t.id, name: t.name }))
      : (fact?.choices ?? []).map((c) => ({ value: c, name: c }));
  });
  protected readonly isNumber = computed(() => ['whole', 'decimal', 'money'].includes(this.fact()?.kind ?? ''));

  protected emit(inner: AskedCriteria): void {
    this.nodeChange.emit(this.not() ? { op: 'not', of: inner } : inner);
  }
  protected toggleNot(): void {
    this.nodeChange.emit(this.not() ? this.inner() : { op: 'not', of: this.inner() });
  }
  protected change(changes: Record<string, unknown>): void {
    this.emit({ ...this.clause()!, ...changes } as Single);
  }
  protected chooseSubject(subject: string): void {
    this.emit(clauseAbout(subject, this.vocabulary(), this.today()));
  }
  protected chooseVerb(verb: Verb): void {
    this.emit(withVerb(this.clause()!, verb, this.vocabulary(), this.today()));
  }
  protected choosePlace(placeId: string): void {
    this.change({ placeId, name: this.vocabulary().places.find((p) => p.id === placeId)?.name ?? '' });
  }
  protected choosePerson(personId: string): void {
    this.change({ personId, name: this.vocabulary().people.find((p) => p.id === personId)?.name ?? '' });
  }
  protected chooseHold(holdId: string): void {
    this.change({ holdId, name: this.vocabulary().holds.find((h) => h.id === holdId)?.name ?? '' });
  }
  protected chooseDetector(detectorId: string): void {
    this.change({ detectorId, name: this.vocabulary().detectors.find((d) => d.id === detectorId)?.name ?? '' });
  }
  protected chooseUnit(unit: SpanUnit): void {
    this.change({ unit });
  }
  protected bound(end: 'from' | 'until', value: string): void {
    if (value === '' || value === null) return;
    this.change({ [end]: this.isNumber() ? Number(value) : value });
  }

  private withParts(of: readonly AskedCriteria[]): void {
    this.emit({ op: this.group()!.op, of });
  }
  protected join(op: 'and' | 'or'): void {
    this.emit({ op, of: this.group()!.of });
  }
  protected changePart(index: number, part: AskedCriteria): void {
    this.withParts(this.group()!.of.map((p, i) => (i === index ? part : p)));
  }
  protected removePart(index: number): void {
    this.withParts(this.group()!.of.filter((_, i) => i !== index));
  }
  protected addClause(): void {
    this.withParts([...this.group()!.of, clauseAbout('recordType', this.vocabulary(), this.today())]);
  }
  protected addGroup(): void {
    const op = this.group()!.op === 'and' ? 'or' : 'and';
    this.withParts([...this.group()!.of, { op, of: [clauseAbout('recordType', this.vocabulary(), this.today())] }]);
  }
}

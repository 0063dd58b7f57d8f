import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import type { PackageOutcome, SectionName } from '@key-cellar/contract';
import { AccessShiftWords } from '../kit/accessShift';
import { DateShiftWords } from '../kit/dateShift';
import { CountPipe, countWords } from '../kit/words';

type Line = PackageOutcome['errors'][number];
type ChangeLine = PackageOutcome['changes'][number];
type Worded = Line & { readonly words: string };

/** What the files of a package are called for readers. */
export const sectionWords: Readonly<Record<SectionName, string>> = {
  jurisdictions: $localize`Jurisdictions`,
  eventTypes: $localize`Types of events`,
  namedYears: $localize`Named years`,
  profiles: $localize`Profiles`,
  people: $localize`People`,
  groups: $localize`Groups`,
  accessTags: $localize`Access tags`,
  recordTypes: $localize`Record types`,
  numberings: $localize`Numbering`,
  detectors: $localize`Detectors`,
  entities: $localize`Parties and business objects`,
  rules: $localize`Rules`,
  stencils: $localize`Stencils`,
  places: $localize`Places, their rules and access`,
  criteriaRules: $localize`Rules by criteria`,
};

const mostListed = 200;

/** Lines by the file that they are of, in the order of the package; of very many the first. */
export function grouped<L extends Line>(lines: readonly L[]): { section: string; lines: readonly L[]; more: number }[] {
  const order = Object.keys(sectionWords) as SectionName[];
  return order.flatMap((name) => {
    const own = lines.filter((line) => line.section === name);
    return own.length === 0
      ? []
      : [{ section: sectionWords[name], lines: own.slice(0, mostListed), more: Math.max(0, own.length - mostListed) }];
  });
}

/** How many things are new or change. */
const writesIn = (o: PackageOutcome | null): number => (o?.changes ?? []).filter((c) => c.what === 'new' || c.what === 'changed').length;

/** Whether what was tried may be done as it is. */
export const isReady = (o: PackageOutcome | null): boolean =>
  o !== null && o.errors.length === 0 && o.conflicts.length === 0 && writesIn(o) > 0;

export const applyWords = (o: PackageOutcome | null): string =>
  writesIn(o) === 1 ? $localize`Apply one change` : $localize`Apply ${countWords(writesIn(o))}:count: changes`;

/** What came of trying something that brings many things: how it stands, what may be done about it, and each thing. */
@Component({
  selector: 'kc-package-outcome',
  imports: [AccessShiftWords, CountPipe, DateShiftWords],
  template: `
    @let o = outcome();
    <p role="status">
      @if (o.errors.length > 0) {
        <ng-container i18n
          ><b class="madder">{o.errors.length, plural, =1 {One thing is} other {{{ o.errors.length }} things are}} wrong.</b> Nothing is
          imported until the package is corrected.</ng-container
        >
      } @else if (o.conflicts.length > 0) {
        <ng-container i18n
          ><b class="madder">{o.conflicts.length, plural, =1 {One thing was} other {{{ o.conflicts.length }} things were}}</b> changed here
          and in the package. Decide what counts.</ng-container
        >
      } @else if (writes() === 0) {
        <ng-container i18n>{{ o.items | count }} items, and nothing in them is new.</ng-container>
      } @else {
        <ng-container i18n
          ><b>{{ writes() | count }}</b> of {{ o.items | count }} items are new or change.</ng-container
        >
      }
    </p>
    <kc-date-shift [shift]="o.dates" />
    <kc-access-shift [shift]="o.access" />
    <ng-content />
    @for (list of lists(); track list.heading) {
      <h3>{{ list.heading }}</h3>
      <table class="frame all">
        <tbody>
          @for (group of list.groups; track group.section) {
            @for (line of group.lines; track $index) {
              <tr>
                <td class="section">{{ $first ? group.section : '' }}</td>
                <td>{{ line.words }}</td>
              </tr>
            }
            @if (group.more > 0) {
              <tr>
                <td></td>
                <td class="quiet" i18n>and {{ group.more | count }} more</td>
              </tr>
            }
          }
        </tbody>
      </table>
    }
  `,
  styles: `
    h3 {
      margin: 18px 0 6px;
    }
    td.section {
      min-width: 15rem;
      color: var(--ink-2);
    }
    td {
      vertical-align: top;
    }
    .all td:last-child {
      width: 100%;
      overflow-wrap: anywhere;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class PackageOutcomeView {
  readonly outcome = input.required<PackageOutcome>();
  protected readonly writes = computed(() => writesIn(this.outcome()));
  protected readonly lists = computed(() => {
    const o = this.outcome();
    const named = (line: Line): Worded => ({ ...line, words: $localize`${line.name}:name: – ${line.sentence}:sentence:` });
    const as = (what: ChangeLine['what']): Worded[] => o.changes.filter((c) => c.what === what).map(named);
    return [
      { heading: $localize`What is wrong`, groups: grouped(o.errors.map(named)) },
      { heading: $localize`Warnings`, groups: grouped(o.warnings.map(named)) },
      { heading: $localize`Changed on both sides: here → in the package`, groups: grouped(o.conflicts.map(named)) },
      { heading: $localize`Changes`, groups: grouped(as('changed')) },
      { heading: $localize`New`, groups: grouped(o.changes.filter((c) => c.what === 'new').map((c) => ({ ...c, words: c.name }))) },
      { heading: $localize`Stays as it is here`, groups: grouped(as('kept')) },
    ].filter((list) => list.groups.length > 0);
  });
}

import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import {
  exchange,
  plan,
  type ConflictWay,
  type PackageOutcome,
  type Problem,
  type SectionName,
  type TableOutcome,
} from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { AccessShiftWords } from '../kit/accessShift';
import { Api, toProblem } from '../kit/api';
import { Choice } from '../kit/choice';
import { DateShiftWords } from '../kit/dateShift';
import { ExportMenu } from '../kit/exportMenu';
import { base64Of } from '../kit/files';
import { ProblemNotice } from '../kit/notice';
import { TableImport } from '../kit/tableImport';
import { CountPipe, countWords } from '../kit/words';
import { SetupNav } from '../records/index';

type Line = PackageOutcome['errors'][number];
type ChangeLine = PackageOutcome['changes'][number];
type Worded = Line & { readonly words: string };

/** What the files of a package are called for readers. */
const sectionWords: Readonly<Record<SectionName, string>> = {
  jurisdictions: $localize`Jurisdictions`,
  eventTypes: $localize`Types of events`,
  namedYears: $localize`Named years`,
  profiles: $localize`Profiles`,
  people: $localize`People`,
  groups: $localize`Groups`,
  recordTypes: $localize`Record types`,
  numberings: $localize`Numbering`,
  detectors: $localize`Detectors`,
  entities: $localize`Parties and business objects`,
  rules: $localize`Rules`,
  stencils: $localize`Stencils`,
  places: $localize`Places, their rules and access`,
  criteriaRules: $localize`Rules by criteria`,
};

/** Each kind as a table of its own, in the order in which they depend on each other. */
const tables = (Object.keys(sectionWords) as SectionName[]).map((section) => ({
  section,
  name: sectionWords[section],
  address: section === 'places' ? '/api/plan/export' : `/api/tables/${section}`,
  heading: $localize`Import a table: ${sectionWords[section]}:kind:`,
}));
type Table = (typeof tables)[number];

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

/** All that is arranged, as one file: out of this repository, and in from another, tried before anything changes. */
@Component({
  selector: 'kc-packages',
  imports: [AccessShiftWords, Button, Choice, CountPipe, DateShiftWords, ExportMenu, ProblemNotice, SetupNav, TableImport],
  templateUrl: './packagesPage.html',
  styles: `
    .bring {
      max-width: 980px;
    }
    .chosen {
      display: flex;
      flex-wrap: wrap;
      align-items: center;
      gap: 12px;
      margin: 12px 0 16px;
    }
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
    .tables td {
      padding: 3px 12px 3px 0;
      vertical-align: middle;
    }
    .tables td:first-child {
      min-width: 17rem;
    }
    h2#tables {
      margin-top: 32px;
    }
    kc-choice {
      display: block;
      max-width: 26rem;
      margin: 8px 0;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class PackagesPage {
  private readonly api = inject(Api);
  protected readonly ways: readonly { value: ConflictWay; name: string }[] = [
    { value: 'refuse', name: $localize`stops the import` },
    { value: 'keep', name: $localize`stays as it is here` },
    { value: 'take', name: $localize`becomes as in the package` },
  ];
  protected readonly name = signal('');
  private readonly data = signal('');
  protected readonly conflicts = signal<ConflictWay>('refuse');
  protected readonly busy = signal(false);
  protected readonly problem = signal<Problem | null>(null);
  protected readonly outcome = signal<PackageOutcome | null>(null);
  /** What was taken in last, in a sentence. */
  protected readonly done = signal<PackageOutcome | null>(null);
  protected readonly tables = tables;
  protected readonly importPlan = plan.importPlan;
  protected readonly importTable = exchange.importTable;
  /** The kind of which a table is brought. */
  protected readonly bringing = signal<Table | null>(null);
  protected readonly importing = signal(false);
  /** What a table brought, in a sentence. */
  protected readonly told = signal('');
  protected readonly lists = computed(() => {
    const o = this.outcome();
    if (!o) return [];
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
  protected readonly writes = computed(
    () => (this.outcome()?.changes ?? []).filter((c) => c.what === 'new' || c.what === 'changed').length,
  );
  protected readonly ready = computed(() => {
    const o = this.outcome();
    return o !== null && o.errors.length === 0 && o.conflicts.length === 0 && this.writes() > 0;
  });
  protected readonly applyLabel = computed(() =>
    this.writes() === 1 ? $localize`Apply one change` : $localize`Apply ${countWords(this.writes())}:count: changes`,
  );

  protected take(field: HTMLInputElement): void {
    const file = field.files?.[0];
    field.value = '';
    if (!file) return;
    this.name.set(file.name);
    this.conflicts.set('refuse');
    this.done.set(null);
    this.outcome.set(null);
    void base64Of(file).then((data) => {
      this.data.set(data);
      this.bring(true);
    });
  }

  protected openTable(table: Table): void {
    this.bringing.set(table);
    this.importing.set(true);
  }

  protected imported(outcome: TableOutcome): void {
    const { name } = this.bringing()!;
    const changes = outcome.changes.length;
    const said = changes === 1 ? $localize`one change` : $localize`${countWords(changes)}:count: changes`;
    this.told.set($localize`${name}:kind:: ${said}:changes:. Records recalculated: ${countWords(outcome.recomputed)}:count:.`);
  }

  protected decide(way: ConflictWay | null): void {
    this.conflicts.set(way ?? 'refuse');
    this.bring(true);
  }

  protected bring(dryRun: boolean): void {
    this.busy.set(true);
    this.problem.set(null);
    this.api.call(exchange.importPackage, { body: { data: this.data(), conflicts: this.conflicts(), dryRun } }).subscribe({
      next: (outcome) => {
        this.busy.set(false);
        const kept = dryRun || outcome.errors.length > 0 || outcome.conflicts.length > 0;
        this.outcome.set(kept ? outcome : null);
        this.done.set(kept ? null : outcome);
      },
      error: (error: unknown) => {
        this.busy.set(false);
        this.problem.set(toProblem(error));
      },
    });
  }
}

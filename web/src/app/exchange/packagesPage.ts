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
import { Api, toProblem } from '../kit/api';
import { Choice } from '../kit/choice';
import { ExportMenu } from '../kit/exportMenu';
import { base64Of } from '../kit/files';
import { ProblemNotice } from '../kit/notice';
import { TableImport } from '../kit/tableImport';
import { CountPipe, countWords } from '../kit/words';
import { SetupNav } from '../records/index';
import { Kits } from './kits';
import { applyWords, isReady, PackageOutcomeView, sectionWords } from './outcome';

/** Each kind as a table of its own, in the order in which they depend on each other. */
const tables = (Object.keys(sectionWords) as SectionName[]).map((section) => ({
  section,
  name: sectionWords[section],
  address: section === 'places' ? '/api/plan/export' : `/api/tables/${section}`,
  heading: $localize`Import a table: ${sectionWords[section]}:kind:`,
}));
type Table = (typeof tables)[number];

/** All that is arranged, as one file: out of this repository, and in from another, tried before anything changes. */
@Component({
  selector: 'kc-packages',
  imports: [Button, Choice, CountPipe, ExportMenu, Kits, PackageOutcomeView, ProblemNotice, SetupNav, TableImport],
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
  protected readonly ready = computed(() => isReady(this.outcome()));
  protected readonly applyLabel = computed(() => applyWords(this.outcome()));

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

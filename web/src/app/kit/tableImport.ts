import { ChangeDetectionStrategy, Component, computed, inject, input, model, output, signal } from '@angular/core';
import type { ConflictWay, Endpoint, Problem, TableOutcome } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { AccessShiftWords } from './accessShift';
import { Api, toProblem } from './api';
import { Choice } from './choice';
import { DateShiftWords } from './dateShift';
import { base64Of } from './files';
import { ProblemNotice } from './notice';
import { Sheet } from './sheet';
import { CountPipe, countWords } from './words';

/** Forms by the endings of files. */
const formats = { csv: 'csv', xlsx: 'xlsx', json: 'json', jsonld: 'jsonld', ttl: 'turtle', rdf: 'rdfxml', xml: 'rdfxml' } as const;
const tables = ['csv', 'xlsx', 'json'] as const;
type Ending = keyof typeof formats;

/** Takes in a table: says first what it would change and what is wrong in it, by row and column. */
@Component({
  selector: 'kc-table-import',
  imports: [AccessShiftWords, Button, Choice, CountPipe, DateShiftWords, ProblemNotice, Sheet],
  template: `
    <kc-sheet [(open)]="open" [heading]="heading()" [width]="680">
      <div class="form">
        <ng-content />
        <div class="acts">
          <p-button severity="secondary" [outlined]="true" label="Choose a file" i18n-label (onClick)="chosen.click()" />
          <input #chosen type="file" [accept]="accept()" hidden aria-label="File" i18n-aria-label (change)="take(chosen)" />
          @if (name()) {
            <span>{{ name() }}</span>
          }
        </div>
        @if (busy()) {
          <p role="status" class="quiet" i18n>Checking the table …</p>
        }
        <kc-problem [problem]="problem()" />
        @if (outcome(); as o) {
          <p role="status">
            @if (o.errors.length > 0) {
              <ng-container i18n
                ><b class="madder">{{ o.errors.length | count }}</b> of {{ o.rows | count }} rows are wrong. Nothing is imported until they
                are corrected.</ng-container
              >
            } @else if (o.changes.length === 0) {
              <ng-container i18n>{{ o.rows | count }} rows, and nothing in them is new.</ng-container>
            } @else {
              <ng-container i18n
                ><b>{{ o.changes.length | count }}</b> of {{ o.rows | count }} rows change something.</ng-container
              >
            }
          </p>
          <kc-date-shift [shift]="o.dates" />
          <kc-access-shift [shift]="o.access" />
          @for (line of o.warnings; track $index) {
            <p>
              <b i18n>Row {{ line.row }}:</b> {{ line.sentence }}
            </p>
          }
          @if (o.conflicts > 0 || conflicts() !== 'refuse') {
            <kc-choice
              field="conflicts"
              label="What was changed here since the table was exported, and in the table as well"
              i18n-label
              [options]="ways"
              [value]="conflicts()"
              (valueChange)="conflicts.set($event); load(true)"
            />
          }
          @if (o.readAs; as encoding) {
            <p i18n>Read as {{ encoding }}, since the file does not say what it is. Check that accents and umlauts are right below.</p>
          }
          <div class="lines">
            <table class="frame">
              <thead>
                <tr>
                  <th class="num" i18n>row</th>
                  <th>{{ o.errors.length > 0 ? labels.column : labels.what }}</th>
                  <th>{{ o.errors.length > 0 ? labels.wrong : labels.does }}</th>
                </tr>
              </thead>
              <tbody>
                @for (line of lines(); track $index) {
                  <tr>
                    <td class="num">{{ line.row }}</td>
                    <td>{{ line.what }}</td>
                    <td>{{ line.sentence }}</td>
                  </tr>
                }
                @if (hidden() > 0) {
                  <tr>
                    <td colspan="3" class="quiet" i18n>and {{ hidden() | count }} more</td>
                  </tr>
                }
              </tbody>
            </table>
          </div>
          @if (o.errors.length === 0 && o.changes.length > 0) {
            <p-button
              [disabled]="busy()"
              [label]="o.changes.length === 1 ? labels.makeOne : labels.make(o.changes.length)"
              (onClick)="load(false)"
            />
          }
        }
      </div>
    </kc-sheet>
  `,
  styles: `
    .lines {
      max-height: 340px;
      overflow: auto;
    }
    .lines:empty {
      display: none;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class TableImport {
  protected readonly labels = {
    makeOne: $localize`Apply one change`,
    make: (n: number) => $localize`Apply ${countWords(n)}:count: changes`,
    column: $localize`column`,
    what: $localize`what`,
    wrong: $localize`what is wrong`,
    does: $localize`what it does`,
  };
  private readonly api = inject(Api);
  readonly open = model.required<boolean>();
  readonly heading = input.required<string>();
  readonly endpoint = input.required<Endpoint>();
  /** What its address names. */
  readonly params = input<Readonly<Record<string, string>> | null>(null);
  /** Endings of what else than tables is taken. */
  readonly also = input<readonly Ending[]>([]);
  readonly done = output<TableOutcome>();

  protected readonly ways: readonly { value: ConflictWay; name: string }[] = [
    { value: 'refuse', name: $localize`is an error` },
    { value: 'keep', name: $localize`stays as it is here` },
    { value: 'take', name: $localize`becomes as in the table` },
  ];
  protected readonly conflicts = signal<ConflictWay>('refuse');
  protected readonly name = signal('');
  private readonly data = signal('');
  protected readonly accept = computed(() => [...tables, ...this.also()].map((ending) => `.${ending}`).join());
  private readonly format = computed(() => formats[/\.(\w+)$/.exec(this.name())?.[1]?.toLowerCase() as Ending] ?? 'csv');
  protected readonly outcome = signal<TableOutcome | null>(null);
  protected readonly busy = signal(false);
  protected readonly problem = signal<Problem | null>(null);
  private readonly most = 300;
  private readonly all = computed(() => {
    const o = this.outcome();
    return o?.errors.length ? o.errors.map((e) => ({ row: e.row, what: e.column, sentence: e.sentence })) : (o?.changes ?? []);
  });
  protected readonly lines = computed(() => this.all().slice(0, this.most));
  protected readonly hidden = computed(() => this.all().length - this.lines().length);

  protected take(field: HTMLInputElement): void {
    const file = field.files?.[0];
    field.value = '';
    if (!file) return;
    this.name.set(file.name);
    this.outcome.set(null);
    this.conflicts.set('refuse');
    void base64Of(file).then((data) => {
      this.data.set(data);
      this.load(true);
    });
  }

  protected load(dryRun: boolean): void {
    this.busy.set(true);
    this.problem.set(null);
    const way = this.conflicts() === 'refuse' ? {} : { conflicts: this.conflicts() };
    const params = this.params();
    const body = { format: this.format(), data: this.data(), dryRun, ...way };
    const call = this.api.call(this.endpoint(), { ...(params ? { params } : {}), body } as never);
    call.subscribe({
      next: (answer) => {
        const outcome = answer as TableOutcome;
        this.busy.set(false);
        this.outcome.set(outcome);
        if (dryRun || outcome.errors.length > 0) return;
        this.open.set(false);
        this.name.set('');
        this.outcome.set(null);
        this.done.emit(outcome);
      },
      error: (error: unknown) => {
        this.busy.set(false);
        this.problem.set(toProblem(error));
      },
    });
  }
}

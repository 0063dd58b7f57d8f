import { ChangeDetectionStrategy, Component, computed, DestroyRef, inject, input, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import type { OutcomeLine, Problem } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { Tooltip } from 'primeng/tooltip';
import { MarkingSheet, TagsSheet } from '../access/index';
import { HoldSheet } from '../holds/index';
import { Session } from '../identity/index';
import { toProblem } from '../kit/api';
import { Keys } from '../kit/keys';
import { ProblemNotice } from '../kit/notice';
import { ResultList, type ResultLine } from '../kit/resultList';
import { Sheet } from '../kit/sheet';
import { CountPipe } from '../kit/words';
import { LongTextField } from '../kit/longTextField';
import { PassSheet } from '../passes/index';
import { OverrideSheet } from '../schedule/index';
import { MoveSheet } from './moveSheet';
import { RecordsService } from './recordsService';

/** What can be done with marked records, and what came of it, line by line. */
@Component({
  selector: 'kc-act-on-many',
  imports: [
    LongTextField,
    MarkingSheet,
    Button,
    CountPipe,
    FormsModule,
    HoldSheet,
    MoveSheet,
    OverrideSheet,
    PassSheet,
    ProblemNotice,
    ResultList,
    Sheet,
    TagsSheet,
    Tooltip,
  ],
  template: `
    @if (ids().size > 0) {
      <div
        class="bar"
        [class.single]="single()"
        [attr.role]="single() ? null : 'region'"
        [attr.aria-label]="single() ? null : labels.marked"
      >
        @if (!single()) {
          <span
            ><b>{{ ids().size | count }}</b
            >&ngsp;<ng-container i18n>marked</ng-container></span
          >
        }
        @if (session.may('declare') && (state() === null || state() === 'working')) {
          <p-button
            [size]="single() ? undefined : 'small'"
            [severity]="single() ? 'secondary' : 'primary'"
            [outlined]="single()"
            label="Declare"
            i18n-label
            pTooltip="Shift+D"
            i18n-pTooltip
            tooltipPosition="top"
            (onClick)="ask('declare')"
          />
        }
        @if (session.may('revoke') && (state() === null || state() === 'declared')) {
          <p-button
            [size]="single() ? undefined : 'small'"
            severity="secondary"
            [outlined]="true"
            label="Revoke declaration"
            i18n-label
            (onClick)="ask('revoke')"
          />
        }
        @if (session.may('hold')) {
          <p-button
            [size]="single() ? undefined : 'small'"
            severity="secondary"
            [outlined]="true"
            label="Hold"
            i18n-label
            pTooltip="Shift+H"
            i18n-pTooltip
            tooltipPosition="top"
            (onClick)="holdOpen.set(true)"
          />
        }
        @if (session.may('move') && state() !== 'disposed') {
          <p-button
            [size]="single() ? undefined : 'small'"
            severity="secondary"
            [outlined]="true"
            label="Override"
            i18n-label
            (onClick)="handOpen.set(true)"
          />
        }
        @if (session.may('move') && state() !== 'disposed') {
          <p-button
            [size]="single() ? undefined : 'small'"
            severity="secondary"
            [outlined]="true"
            label="Move"
            i18n-label
            (onClick)="moveOpen.set(true)"
          />
        }
        @if (session.may('grant') && !single()) {
          <p-button size="small" severity="secondary" [outlined]="true" label="Marking" i18n-label (onClick)="markingOpen.set(true)" />
          <p-button size="small" severity="secondary" [outlined]="true" label="Access tags" i18n-label (onClick)="tagsOpen.set(true)" />
        }
        @if (session.may('link') && state() !== 'disposed') {
          <p-button
            [size]="single() ? undefined : 'small'"
            severity="secondary"
            [outlined]="true"
            label="Visitor pass"
            i18n-label
            (onClick)="passOpen.set(true)"
          />
        }
        @if (!single()) {
          <p-button size="small" severity="secondary" [text]="true" label="Unmark" i18n-label (onClick)="cleared.emit()" />
        }
      </div>
    }
    <kc-sheet [(open)]="sheetOpen" [heading]="heading()">
      @if (results(); as lines) {
        <kc-result-list [lines]="lines" />
      } @else {
        <form class="form" (ngSubmit)="carryOut()">
          @if (act() === 'declare') {
            <p i18n>
              {count(), plural, =1 {One record} other {{{ count() }} records}} can no longer be changed, renamed, moved to another series or
              deleted by anybody, until the end of the keeping time.
            </p>
          } @else {
            <p i18n>
              {count(), plural, =1 {One record} other {{{ count() }} records}} can be changed again. Held ones stay declared. The auditor
              sees it with your reason.
            </p>
            <kc-long-text-field
              field="revoke-reason"
              label="Reason"
              i18n-label
              [rows]="3"
              [needed]="true"
              [value]="reason()"
              (valueChange)="reason.set($event)"
            />
          }
          <kc-problem [problem]="problem()" />
          <p-button type="submit" [disabled]="busy()" [label]="button()" />
        </form>
      }
    </kc-sheet>
    <kc-override-sheet [(open)]="handOpen" [ids]="idList()" (acted)="acted.emit()" />
    <kc-move-sheet [(open)]="moveOpen" [ids]="idList()" (acted)="acted.emit()" />
    <kc-marking-sheet [(open)]="markingOpen" [recordIds]="idList()" (done)="acted.emit()" />
    <kc-tags-sheet [(open)]="tagsOpen" [recordIds]="idList()" (done)="acted.emit()" />
    <kc-pass-sheet [(open)]="passOpen" [recordIds]="idList()" />
    <kc-hold-sheet [(open)]="holdOpen" [recordIds]="idList()" (placed)="acted.emit()" />
  `,
  styles: `
    .bar {
      display: flex;
      flex-wrap: wrap;
      align-items: center;
      gap: 8px;
      padding: 6px 12px;
      background: var(--brass-wash);
      border: 1px solid var(--line);
      border-bottom: 0;
    }
    .bar.single {
      background: none;
      border: 0;
      padding: 0;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class ActOnMany {
  protected readonly labels = {
    marked: $localize`Marked records`,
  };
  private readonly service = inject(RecordsService);
  protected readonly session = inject(Session);
  readonly ids = input.required<ReadonlySet<string>>();
  /** On a record's own page: no count and nothing to unmark. */
  readonly single = input(false);
  /** Which of the two can be done at all with a single record. */
  readonly state = input<'working' | 'declared' | 'disposed' | null>(null);
  readonly acted = output();
  readonly cleared = output();

  protected readonly idList = computed(() => [...this.ids()]);
  protected readonly act = signal<'declare' | 'revoke'>('declare');
  protected readonly sheetOpen = signal(false);
  protected readonly holdOpen = signal(false);
  protected readonly markingOpen = signal(false);
  protected readonly tagsOpen = signal(false);
  protected readonly passOpen = signal(false);
  protected readonly handOpen = signal(false);
  protected readonly moveOpen = signal(false);
  protected readonly busy = signal(false);
  protected readonly reason = signal('');
  protected readonly problem = signal<Problem | null>(null);
  protected readonly results = signal<ResultLine[] | null>(null);
  /** The records the sheet was opened for; marks may be gone by the time its results are read. */
  private readonly chosen = signal<readonly string[]>([]);
  protected readonly count = computed(() => this.chosen().length);
  protected readonly heading = computed(() => (this.act() === 'declare' ? $localize`Declare` : $localize`Revoke declaration`));
  protected readonly button = computed(() =>
    this.act() === 'declare'
      ? this.count() === 1
        ? $localize`Declare one record`
        : $localize`Declare ${this.count()}:n: records`
      : this.count() === 1
        ? $localize`Revoke 1 declaration`
        : $localize`Revoke ${this.count()}:n: declarations`,
  );

  constructor() {
    const remove = inject(Keys).add({
      'Shift+D': [$localize`declare`, () => this.session.may('declare') && this.ids().size > 0 && this.ask('declare')],
      'Shift+H': [$localize`hold`, () => this.session.may('hold') && this.ids().size > 0 && this.holdOpen.set(true)],
    });
    inject(DestroyRef).onDestroy(remove);
  }

  protected ask(act: 'declare' | 'revoke'): void {
    this.act.set(act);
    this.chosen.set(this.idList());
    this.results.set(null);
    this.problem.set(null);
    this.reason.set('');
    this.sheetOpen.set(true);
  }

  protected carryOut(): void {
    this.busy.set(true);
    const ids = this.chosen();
    const call = this.act() === 'declare' ? this.service.declare(ids) : this.service.revoke(ids, this.reason());
    call.subscribe({
      next: ({ results }) => {
        this.busy.set(false);
        this.results.set(results.map((r: OutcomeLine) => ({ ...r, link: ['/records', r.id] })));
        this.acted.emit();
      },
      error: (error: unknown) => {
        this.busy.set(false);
        this.problem.set(toProblem(error));
      },
    });
  }
}

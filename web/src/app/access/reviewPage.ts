import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { RouterLink } from '@angular/router';
import { access, type AccessShift, type OutcomeLine, type ReviewLine } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { AccessShiftWords } from '../kit/accessShift';
import { Api } from '../kit/api';
import { Doing } from '../kit/doing';
import { ExportMenu } from '../kit/exportMenu';
import { loaded } from '../kit/loaded';
import { LongTextField } from '../kit/longTextField';
import { ProblemNotice } from '../kit/notice';
import { ResultList } from '../kit/resultList';
import { Sheet } from '../kit/sheet';
import { CountPipe, DayPipe } from '../kit/words';
import { AccessNav } from './accessNav';

const states: Readonly<Record<ReviewLine['state'], string>> = {
  open: $localize`waits`,
  changed: $localize`waits; changed since`,
  kept: $localize`confirmed`,
  ended: $localize`ended`,
  'not confirmed': $localize`ended: not confirmed`,
  gone: $localize`ended otherwise`,
};

/** One round: its grants place by place, confirmed with a click or ended with the effect first, one or many at once. */
@Component({
  selector: 'kc-review',
  imports: [
    AccessNav,
    AccessShiftWords,
    Button,
    CountPipe,
    DayPipe,
    ExportMenu,
    FormsModule,
    LongTextField,
    ProblemNotice,
    ResultList,
    RouterLink,
    Sheet,
  ],
  template: `
    <div class="page">
      @if (page.value(); as p) {
        <div class="page-head">
          <div>
            <h1>{{ p.review.title }}</h1>
            <p class="lede">
              @if (p.review.closedOn; as day) {
                <ng-container i18n>Closed {{ day | day }}.</ng-container>
              } @else if (p.review.endsUnconfirmed) {
                <ng-container i18n>Until {{ p.review.dueOn | day }}; what nobody confirms by then ends.</ng-container>
              } @else {
                <ng-container i18n>Until {{ p.review.dueOn | day }}.</ng-container>
              }
            </p>
            <progress [max]="p.review.lines" [value]="p.review.answered" aria-hidden="true"></progress>
            <span class="quiet small" i18n>{{ p.review.answered | count }} of {{ p.review.lines | count }} answered</span>
          </div>
          <div class="acts">
            <kc-export-menu [address]="'/api/access/reviews/' + p.review.id + '/table'" />
            @if (p.review.mayClose) {
              <p-button
                severity="secondary"
                [outlined]="true"
                label="Close …"
                i18n-label
                ariaHasPopup="dialog"
                (onClick)="start('close')"
              />
            }
            @if (p.review.mine > 0) {
              <p-button
                severity="secondary"
                [outlined]="true"
                [disabled]="marked().size === 0"
                label="End …"
                i18n-label
                ariaHasPopup="dialog"
                (onClick)="start('ended')"
              />
              <p-button [disabled]="marked().size === 0 || doing.busy()" [label]="confirmName()" (onClick)="confirm()" />
            }
          </div>
        </div>
        <kc-access-nav />
        @if (p.review.mine > 0) {
          <label class="check">
            <input type="checkbox" name="mine" [ngModel]="onlyMine()" (ngModelChange)="onlyMine.set($event)" />
            <span i18n>Only what waits for you</span>
          </label>
        }
        <kc-problem [problem]="task() ? null : doing.problem()" />
        @if (refused().length > 0 && !task()) {
          <kc-result-list [lines]="refused()" />
        }
        <table class="frame">
          <thead>
            <tr>
              <th>
                @if (markable().length > 0) {
                  <input type="checkbox" aria-label="Mark all" i18n-aria-label [checked]="allMarked()" (change)="markAll()" />
                }
              </th>
              <th i18n>who</th>
              <th i18n>as</th>
              <th i18n>on</th>
              <th i18n>until</th>
              <th i18n>reason</th>
              <th i18n>answer</th>
            </tr>
          </thead>
          <tbody>
            @for (one of shown(); track one.id) {
              <tr [class.past]="!waits(one)">
                <td>
                  @if (one.mayAnswer) {
                    <input type="checkbox" [attr.aria-label]="markName(one)" [checked]="marked().has(one.id)" (change)="mark(one.id)" />
                  }
                </td>
                <td>
                  {{ one.principal.name }}
                  @if (!one.principal.active) {
                    <span class="madder small" i18n>let go</span>
                  }
                </td>
                <td>{{ one.as }}</td>
                <td>
                  @if (one.record; as r) {
                    <a [routerLink]="['/records', r.id]"
                      ><code>{{ r.number }}</code> {{ r.title }}</a
                    >
                  } @else if (one.tag) {
                    <span i18n>tag {{ one.tag }}</span>
                  } @else {
                    <a [routerLink]="['/plan', one.place.id]"
                      ><code>{{ one.place.code }}</code> {{ one.place.title }}</a
                    >
                  }
                </td>
                <td>{{ one.until ? (one.until | day) : '' }}</td>
                <td class="why">{{ one.reason }}</td>
                <td>
                  {{ states[one.state] }}
                  @if (one.answeredBy; as by) {
                    <span class="quiet small line" i18n>by {{ by }}</span>
                  }
                  @if (one.note) {
                    <span class="quiet small line">{{ one.note }}</span>
                  }
                </td>
              </tr>
            } @empty {
              <tr>
                <td colspan="7" class="quiet" i18n>Nothing of it waits for you any more.</td>
              </tr>
            }
          </tbody>
        </table>
        <kc-sheet
          [open]="task() !== null"
          (openChange)="$event || task.set(null)"
          [heading]="task() === 'close' ? labels.close : labels.end"
        >
          <form class="form" (ngSubmit)="send()">
            @if (task() === 'close') {
              <p i18n>What waits stays as it is, and nobody answers any more.</p>
            } @else {
              <p i18n>{marked().size, plural, =1 {One grant ends} other {{{ marked().size | count }} grants end}}, in open sessions too.</p>
            }
            <kc-long-text-field
              field="review-note"
              label="Reason"
              i18n-label
              [needed]="true"
              [rows]="2"
              [maxlength]="2000"
              [value]="note()"
              (valueChange)="note.set($event)"
            />
            <kc-access-shift [shift]="shift()" />
            @if (refused().length > 0) {
              <kc-result-list [lines]="refused()" />
            }
            <kc-problem [problem]="doing.problem()" />
            <p-button
              type="submit"
              [disabled]="doing.busy() || note().trim().length < 3"
              [label]="task() === 'close' ? labels.close : shift() === null ? labels.look : labels.end"
            />
          </form>
        </kc-sheet>
      }
      <kc-problem [problem]="page.problem()" />
    </div>
  `,
  styles: `
    .line {
      display: block;
    }
    td {
      vertical-align: top;
    }
    td.why {
      max-width: 240px;
    }
    tr.past td {
      color: var(--ink-2);
    }
    progress {
      width: 240px;
      height: 6px;
      margin-inline-end: 10px;
      accent-color: var(--brass);
    }
    .check {
      display: flex;
      gap: 8px;
      align-items: center;
      margin-bottom: 10px;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class ReviewPage {
  protected readonly states = states;
  protected readonly labels = { look: $localize`See the effect`, end: $localize`End grants`, close: $localize`Close the review` };
  private readonly api = inject(Api);
  readonly id = input.required<string>();
  protected readonly page = loaded(() => this.api.call(access.review, { params: { id: this.id() } }));
  protected readonly doing = new Doing();
  protected readonly onlyMine = signal(false);
  protected readonly marked = signal<ReadonlySet<string>>(new Set());
  protected readonly task = signal<'ended' | 'close' | null>(null);
  protected readonly note = signal('');
  protected readonly shift = signal<AccessShift | null>(null);
  protected readonly refused = signal<readonly OutcomeLine[]>([]);
  protected readonly shown = computed(() => (this.page.value()?.lines ?? []).filter((l) => !this.onlyMine() || l.mayAnswer));
  protected readonly markable = computed(() => this.shown().filter((l) => l.mayAnswer));
  protected readonly allMarked = computed(() => this.markable().every((l) => this.marked().has(l.id)));
  protected readonly confirmName = computed(() =>
    this.marked().size < 2 ? $localize`Confirm` : $localize`Confirm ${this.marked().size}:n:`,
  );

  protected waits({ state }: ReviewLine): boolean {
    return state === 'open' || state === 'changed';
  }

  protected markName({ principal, as }: ReviewLine): string {
    return $localize`Mark ${principal.name}:name: as ${as}:profile:`;
  }

  protected mark(id: string): void {
    const next = new Set(this.marked());
    if (!next.delete(id)) next.add(id);
    this.marked.set(next);
  }

  protected markAll(): void {
    this.marked.set(this.allMarked() ? new Set() : new Set(this.markable().map((l) => l.id)));
  }

  protected start(task: 'ended' | 'close'): void {
    this.note.set('');
    this.shift.set(null);
    this.refused.set([]);
    this.doing.problem.set(null);
    this.task.set(task);
  }

  protected confirm(): void {
    this.answer('kept', false);
  }

  /** Ending is tried first; the same again does it. */
  protected send(): void {
    if (this.task() === 'ended') return this.answer('ended', this.shift() === null);
    const call = this.api.call(access.closeReview, { params: { id: this.id() }, body: { reason: this.note().trim() } });
    this.doing.run(call, () => {
      this.task.set(null);
      this.page.reload();
    });
  }

  private answer(answer: 'kept' | 'ended', dryRun: boolean): void {
    const body = { ids: [...this.marked()], answer, note: answer === 'kept' ? '' : this.note().trim(), dryRun };
    this.doing.run(this.api.call(access.answerReview, { body }), ({ results, access: shift }) => {
      this.refused.set(results.filter((r) => r.outcome !== 'done'));
      this.shift.set(dryRun ? shift : null);
      if (dryRun) return;
      this.task.set(null);
      this.marked.set(new Set());
      this.page.reload();
    });
  }
}

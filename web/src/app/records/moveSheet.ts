import { ChangeDetectionStrategy, Component, computed, effect, inject, input, model, output, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { records, type Problem, type ResponseOf } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { Api, toProblem } from '../kit/api';
import { ProblemNotice } from '../kit/notice';
import { ResultList, type ResultLine } from '../kit/resultList';
import { Sheet } from '../kit/sheet';
import { ThingField } from '../kit/thingField';
import { LongTextField } from '../kit/longTextField';
import { TrialFound } from '../schedule/index';

/** Moves records to another place; says first what that does to their dates. */
@Component({
  selector: 'kc-move-sheet',
  imports: [LongTextField, Button, FormsModule, ProblemNotice, ResultList, Sheet, ThingField, TrialFound],
  template: `
    <kc-sheet [(open)]="open" heading="Move to another place" i18n-heading [width]="640">
      @if (results(); as lines) {
        <kc-result-list [lines]="lines" />
      } @else {
        <form class="form" (ngSubmit)="carryOut(false)">
          <p i18n>
            Numbers stay. Rules and access from around them are those of the new place then. A declared record never leaves its series;
            shortening retention needs a keeper.
          </p>
          <div class="field">
            <label for="move-place" i18n>To</label>
            <kc-thing-field field="move-place" kind="place" [value]="place()" (valueChange)="place.set($event); tried.set(null)" />
          </div>
          <kc-long-text-field
            field="move-reason"
            label="Reason"
            i18n-label
            [rows]="2"
            [needed]="true"
            [value]="reason()"
            (valueChange)="reason.set($event)"
          />
          <kc-problem [problem]="problem()" />
          @if (tried(); as t) {
            <kc-trial-found [found]="t">
              <p i18n>
                <b>{{ of('done') }}</b> of {{ t.results.length }} would be moved; {{ of('refused') }} refused, {{ of('skipped') }} there
                already.
              </p>
            </kc-trial-found>
          }
          <div class="acts">
            <p-button
              severity="secondary"
              [outlined]="true"
              [disabled]="busy() || !ready()"
              label="What would change?"
              i18n-label
              (onClick)="carryOut(true)"
            />
            <p-button type="submit" [disabled]="busy() || !ready()" [label]="button()" />
          </div>
        </form>
      }
    </kc-sheet>
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class MoveSheet {
  private readonly api = inject(Api);
  readonly open = model.required<boolean>();
  readonly ids = input.required<readonly string[]>();
  readonly acted = output();

  protected readonly place = signal<readonly string[]>([]);
  protected readonly reason = signal('');
  protected readonly busy = signal(false);
  protected readonly problem = signal<Problem | null>(null);
  /** What it would do, as the server said of a trial. */
  protected readonly tried = signal<ResponseOf<typeof records.move> | null>(null);
  protected readonly results = signal<ResultLine[] | null>(null);
  private readonly chosen = signal<readonly string[]>([]);
  protected readonly ready = computed(() => this.place().length === 1 && this.reason().trim().length > 2);
  protected readonly button = computed(() =>
    this.chosen().length === 1 ? $localize`Move one record` : $localize`Move ${this.chosen().length}:n: records`,
  );

  constructor() {
    effect(() => {
      if (!this.open()) return;
      untracked(() => {
        this.chosen.set(this.ids());
        this.results.set(null);
        this.tried.set(null);
        this.problem.set(null);
        this.reason.set('');
        this.place.set([]);
      });
    });
  }

  protected of(outcome: 'done' | 'refused' | 'skipped'): number {
    return (this.tried()?.results ?? []).filter((l) => l.outcome === outcome).length;
  }

  protected carryOut(dryRun: boolean): void {
    this.busy.set(true);
    this.problem.set(null);
    const body = { ids: [...this.chosen()], placeId: this.place()[0]!, reason: this.reason(), dryRun };
    this.api.call(records.move, { body }).subscribe({
      next: (answer) => {
        this.busy.set(false);
        if (dryRun) {
          this.tried.set(answer);
          return;
        }
        this.results.set(
          answer.results.map((r) => ({
            name: r.name,
            outcome: r.outcome,
            why: r.outcome === 'done' && r.before !== r.after ? `${r.before} → ${r.after}` : r.why,
            link: ['/records', r.id],
          })),
        );
        this.acted.emit();
      },
      error: (error: unknown) => {
        this.busy.set(false);
        this.problem.set(toProblem(error));
      },
    });
  }
}

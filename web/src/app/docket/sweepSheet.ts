import { ChangeDetectionStrategy, Component, effect, inject, model, output, signal, untracked } from '@angular/core';
import { RouterLink } from '@angular/router';
import { steps, type Problem, type SweepLine } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { Api, toProblem } from '../kit/api';
import { ProblemNotice } from '../kit/notice';
import { Sheet } from '../kit/sheet';
import { BytesPipe, CountPipe } from '../kit/words';

const heads: Record<SweepLine['kind'], string> = {
  due: $localize`come due and go to the docket`,
  ask: $localize`are put to their owners for the first time`,
  askAgain: $localize`are put to their owners again`,
  unanswered: $localize`were never answered; their next step is due`,
  review: $localize`are put up for review`,
  declare: $localize`are declared`,
  trim: $localize`lose their older versions`,
  move: $localize`are moved`,
  already: $localize`already are as their step requires`,
  stopped: $localize`cannot take their step now`,
};
const order = Object.keys(heads) as SweepLine['kind'][];

/** What the sweep would do, record by record, before it is run by hand. It runs by itself once a day. */
@Component({
  selector: 'kc-sweep-sheet',
  imports: [BytesPipe, Button, CountPipe, ProblemNotice, RouterLink, Sheet],
  template: `
    <kc-sheet [(open)]="open" heading="Run the sweep" i18n-heading [width]="620">
      <p i18n>Runs daily. If run now:</p>
      <kc-problem [problem]="problem()" />
      @if (lines(); as found) {
        @for (line of found; track line.kind) {
          <details [open]="found.length < 3">
            <summary>
              <b>{{ line.records | count }}</b> {{ heads[line.kind] }}
              @if (line.versions > 0) {
                <span class="quiet" i18n>: {{ line.versions | count }} versions, {{ line.bytes | bytes }}</span>
              }
            </summary>
            <ul>
              @for (record of line.first; track record.id) {
                <li>
                  <a [routerLink]="['/records', record.id]"
                    ><code>{{ record.number }}</code> {{ record.title }}</a
                  >
                  <span class="quiet small">{{ record.detail }}</span>
                </li>
              }
              @if (line.records > line.first.length) {
                <li class="quiet" i18n>and {{ line.records - line.first.length | count }} more</li>
              }
            </ul>
          </details>
        } @empty {
          <div class="empty" i18n><b>Nothing to do</b>No record has come due, and no step has come to its day.</div>
        }
        <p-button [disabled]="busy() || found.length === 0" label="Run it now" i18n-label (onClick)="run()" />
      }
    </kc-sheet>
  `,
  styles: `
    details {
      border-bottom: 1px solid var(--line);
      padding: 6px 0;
    }
    summary {
      cursor: pointer;
    }
    ul {
      padding: 4px 0 4px 18px;
      max-height: 300px;
      overflow: auto;
    }
    li {
      display: grid;
      padding: 3px 0;
    }
    li a {
      text-decoration: none;
    }
    p-button {
      display: block;
      margin-top: 16px;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class SweepSheet {
  private readonly api = inject(Api);
  readonly open = model.required<boolean>();
  readonly ran = output<{ newlyDue: number; jobId: string | null }>();
  protected readonly heads = heads;
  protected readonly lines = signal<readonly SweepLine[] | null>(null);
  protected readonly busy = signal(false);
  protected readonly problem = signal<Problem | null>(null);

  constructor() {
    effect(() => {
      if (this.open()) untracked(() => this.look());
    });
  }

  private look(): void {
    this.lines.set(null);
    this.problem.set(null);
    this.api.call(steps.preview).subscribe({
      next: ({ lines }) => this.lines.set([...lines].sort((a, b) => order.indexOf(a.kind) - order.indexOf(b.kind))),
      error: (error: unknown) => this.problem.set(toProblem(error)),
    });
  }

  protected run(): void {
    this.busy.set(true);
    this.api.call(steps.sweep).subscribe({
      next: (done) => {
        this.busy.set(false);
        this.open.set(false);
        this.ran.emit(done);
      },
      error: (error: unknown) => {
        this.busy.set(false);
        this.problem.set(toProblem(error));
      },
    });
  }
}

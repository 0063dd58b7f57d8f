import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { RouterLink } from '@angular/router';
import { holds, type Problem } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { Session } from '../identity/index';
import { Api, toProblem } from '../kit/api';
import { loaded, reloadWhile } from '../kit/loaded';
import { Mark } from '../kit/mark';
import { ProblemNotice } from '../kit/notice';
import { Sheet } from '../kit/sheet';
import { CountPipe, DayPipe } from '../kit/words';
import { LongTextField } from '../kit/longTextField';
import { Coverage } from './coverage';
import { CoveredRecords } from './coveredRecords';
import { HoldDoing } from './holdDoing';

/** One hold: what it covers, since when and why, who was told. */
@Component({
  selector: 'kc-hold',
  imports: [
    LongTextField,
    Button,
    CountPipe,
    Coverage,
    CoveredRecords,
    DayPipe,
    FormsModule,
    HoldDoing,
    Mark,
    ProblemNotice,
    RouterLink,
    Sheet,
  ],
  templateUrl: './holdPage.html',
  styles: `
    .two {
      display: grid;
      grid-template-columns: minmax(0, 2fr) minmax(280px, 1fr);
      gap: 20px;
      align-items: start;
    }
    aside li {
      display: flex;
      justify-content: space-between;
      gap: 8px;
      padding: 5px 0;
      border-bottom: 1px dashed var(--line);
    }
    aside h2 {
      margin: 0 0 6px;
    }
    aside section + section {
      margin-top: 18px;
    }
    .reason {
      margin-bottom: 12px;
    }
    @media (max-width: 1000px) {
      .two {
        grid-template-columns: 1fr;
      }
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class HoldPage {
  private readonly api = inject(Api);
  protected readonly session = inject(Session);
  readonly id = input.required<string>();
  protected readonly page = loaded(() => this.api.call(holds.hold, { params: { id: this.id() } }));
  protected readonly releasing = signal(false);
  protected readonly reason = signal('');
  protected readonly busy = signal(false);
  protected readonly done = signal<string | null>(null);
  protected readonly problem = signal<Problem | null>(null);
  protected readonly mine = computed(
    () => this.page.value()?.custodians.some((c) => c.person.id === this.session.me()?.id && c.acknowledgedOn === null) ?? false,
  );

  constructor() {
    reloadWhile(this.page, (hold) => hold.doing !== null);
  }

  private finish(sentence: string): void {
    this.busy.set(false);
    this.releasing.set(false);
    this.done.set(sentence);
    this.reload();
  }
  protected reload(): void {
    this.page.reload();
    this.session.refresh();
  }
  private fail = (error: unknown): void => {
    this.busy.set(false);
    this.problem.set(toProblem(error));
  };

  protected release(): void {
    this.busy.set(true);
    this.problem.set(null);
    this.api.call(holds.release, { params: { id: this.id() }, body: { reason: this.reason() } }).subscribe({
      next: ({ released, doing }) =>
        this.finish(
          doing
            ? $localize`The hold is released. It lets go of ${released}:n: records one after another.`
            : $localize`The hold released ${released}:n: records. What is due returns to the docket.`,
        ),
      error: this.fail,
    });
  }

  protected acknowledge(): void {
    this.api.call(holds.acknowledge, { params: { id: this.id() } }).subscribe({
      next: () => this.finish($localize`Your acknowledgement was written down.`),
      error: this.fail,
    });
  }

  protected remind(): void {
    this.api.call(holds.remind, { params: { id: this.id() } }).subscribe({
      next: ({ reminded }) =>
        this.finish(reminded === 1 ? $localize`One custodian was reminded.` : $localize`${reminded}:n: custodians were reminded.`),
      error: this.fail,
    });
  }
}

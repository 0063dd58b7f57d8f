import { ChangeDetectionStrategy, Component, computed, inject, input, output, signal } from '@angular/core';
import { access, type Problem, type RaiseLine } from '@key-cellar/contract';
import { Api, toProblem } from '../kit/api';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { DayPipe } from '../kit/words';
import { RaiseSheet } from './raiseSheet';

/** What somebody asked for at a place, and a way to ask for more. */
@Component({
  selector: 'kc-own-raises',
  imports: [DayPipe, ProblemNotice, RaiseSheet],
  template: `
    @for (one of here(); track one.id) {
      <p class="small">
        @if (one.state === 'open') {
          <ng-container i18n>You asked to be {{ one.as }} here until {{ one.until | day }}; nobody has answered yet.</ng-container>
          &ngsp;<button type="button" class="link" (click)="withdraw(one)" i18n>withdraw</button>
        } @else if (one.state === 'approved') {
          <ng-container i18n>{{ one.decidedBy }} made you {{ one.as }} here until {{ one.until | day }}.</ng-container>
        } @else {
          <ng-container i18n>{{ one.decidedBy }} refused to make you {{ one.as }} here.</ng-container>
          {{ one.note }}
        }
      </p>
    }
    <kc-problem [problem]="problem()" />
    <button type="button" class="link" (click)="asking.set(true)" i18n>ask for more access</button>
    <kc-raise-sheet [(open)]="asking" [placeId]="placeId()" [name]="name()" (done)="again()" />
  `,
  styles: `
    .link {
      font: inherit;
      font-size: 12.5px;
      padding: 0;
      border: 0;
      background: none;
      color: var(--ink-2);
      text-decoration: underline;
      cursor: pointer;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class OwnRaises {
  private readonly api = inject(Api);
  readonly placeId = input.required<string>();
  readonly name = input.required<string>();
  readonly changed = output();
  private readonly page = loaded(() => this.api.call(access.raises));
  /** What waits, what counts, and what was refused last. */
  protected readonly here = computed(() => {
    const mine = (this.page.value()?.raises ?? []).filter((r) => r.mine && r.place.id === this.placeId());
    const refused = mine[0]?.state === 'refused' ? mine.slice(0, 1) : [];
    return [...mine.filter((r) => r.state === 'open' || r.state === 'approved'), ...refused];
  });
  protected readonly asking = signal(false);
  protected readonly problem = signal<Problem | null>(null);

  protected again(): void {
    this.page.reload();
    this.changed.emit();
  }

  protected withdraw({ id }: RaiseLine): void {
    this.problem.set(null);
    this.api.call(access.withdrawRaise, { params: { id } }).subscribe({
      next: () => this.again(),
      error: (error: unknown) => this.problem.set(toProblem(error)),
    });
  }
}

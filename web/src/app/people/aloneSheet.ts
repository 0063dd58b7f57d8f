import { ChangeDetectionStrategy, Component, effect, inject, input, model, output, signal, untracked } from '@angular/core';
import { people, type AccessShift, type PlacePage } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { AccessShiftWords } from '../kit/accessShift';
import { Api } from '../kit/api';
import { Doing } from '../kit/doing';
import { LongTextField } from '../kit/longTextField';
import { ProblemNotice } from '../kit/notice';
import { Sheet } from '../kit/sheet';

/** Lets a place stand alone, or opens it again; tried first, and says whose access changes. */
@Component({
  selector: 'kc-alone-sheet',
  imports: [AccessShiftWords, Button, LongTextField, ProblemNotice, Sheet],
  template: `
    <kc-sheet [(open)]="open" [heading]="place().code + ' ' + place().title">
      <form class="form" (submit)="$event.preventDefault(); send(shift() === null)">
        <p class="quiet">{{ place().standAlone ? labels.openSays : labels.apartSays }}</p>
        <kc-long-text-field
          field="alone-reason"
          label="Reason"
          i18n-label
          [needed]="true"
          [rows]="2"
          [maxlength]="2000"
          [value]="reason()"
          (valueChange)="reason.set($event)"
        />
        <kc-access-shift [shift]="shift()" />
        <kc-problem [problem]="doing.problem()" />
        <p-button
          type="submit"
          [disabled]="doing.busy() || reason().trim().length < 3"
          [label]="shift() === null ? labels.look : place().standAlone ? labels.setOpen : labels.setApart"
        />
      </form>
    </kc-sheet>
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class AloneSheet {
  protected readonly labels = {
    look: $localize`See the effect`,
    apartSays: $localize`What is given on places around it no longer reaches in, except for keepers and auditors. What is given here stays.`,
    openSays: $localize`What is given on places around it reaches in again.`,
    setApart: $localize`Let it stand alone`,
    setOpen: $localize`Open it again`,
  };
  private readonly api = inject(Api);
  readonly place = input.required<PlacePage>();
  readonly open = model(false);
  readonly done = output();
  protected readonly reason = signal('');
  protected readonly shift = signal<AccessShift | null>(null);
  protected readonly doing = new Doing();

  constructor() {
    effect(() => {
      this.open();
      untracked(() => {
        this.reason.set('');
        this.shift.set(null);
        this.doing.problem.set(null);
      });
    });
  }

  protected send(dryRun: boolean): void {
    const { id, revision, standAlone } = this.place();
    const body = { revision, standAlone: !standAlone, reason: this.reason().trim(), dryRun };
    this.doing.run(this.api.call(people.setStandAlone, { params: { id }, body }), ({ access }) => {
      if (dryRun) {
        this.shift.set(access);
        return;
      }
      this.open.set(false);
      this.done.emit();
    });
  }
}

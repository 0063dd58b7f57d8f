import { ChangeDetectionStrategy, Component, effect, inject, input, model, output, signal, untracked } from '@angular/core';
import { people, type PlacePage } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { Api } from '../kit/api';
import { Doing } from '../kit/doing';
import { LongTextField } from '../kit/longTextField';
import { ProblemNotice } from '../kit/notice';
import { Sheet } from '../kit/sheet';

/** Lets the pages of what lies in a place bear the name of whoever reads them, or no longer. */
@Component({
  selector: 'kc-reader-sheet',
  imports: [Button, LongTextField, ProblemNotice, Sheet],
  template: `
    <kc-sheet [(open)]="open" [heading]="place().code + ' ' + place().title">
      <form class="form" (submit)="$event.preventDefault(); send()">
        <p class="quiet">{{ on() ? labels.offSays : labels.onSays }}</p>
        <kc-long-text-field
          field="reader-reason"
          label="Reason"
          i18n-label
          [needed]="true"
          [rows]="2"
          [maxlength]="2000"
          [value]="reason()"
          (valueChange)="reason.set($event)"
        />
        <kc-problem [problem]="doing.problem()" />
        <p-button
          type="submit"
          [disabled]="doing.busy() || reason().trim().length < 3"
          [label]="on() ? labels.nameNobody : labels.nameReader"
        />
      </form>
    </kc-sheet>
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class ReaderSheet {
  protected readonly labels = {
    onSays: $localize`Pages shown from here, and from all that is in it, bear the name of whoever reads them, and the time, all over. Copies that are taken stay as they are.`,
    offSays: $localize`Pages shown from here bear no name any more, unless a place around it says so.`,
    nameReader: $localize`Name the reader on pages`,
    nameNobody: $localize`Name nobody on pages`,
  };
  private readonly api = inject(Api);
  readonly place = input.required<PlacePage>();
  /** Whether they do, by what is set here. */
  readonly on = input.required<boolean>();
  readonly open = model(false);
  readonly done = output();
  protected readonly reason = signal('');
  protected readonly doing = new Doing();

  constructor() {
    effect(() => {
      this.open();
      untracked(() => {
        this.reason.set('');
        this.doing.problem.set(null);
      });
    });
  }

  protected send(): void {
    const { id, revision } = this.place();
    const body = { revision, readerOnPages: !this.on(), reason: this.reason().trim() };
    this.doing.run(this.api.call(people.nameReader, { params: { id }, body }), () => {
      this.open.set(false);
      this.done.emit();
    });
  }
}

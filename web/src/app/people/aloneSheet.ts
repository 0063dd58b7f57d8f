import { ChangeDetectionStrategy, Component, effect, inject, input, model, output, untracked } from '@angular/core';
import { people, type PlacePage } from '@key-cellar/contract';
import { Api } from '../kit/api';
import { Sheet } from '../kit/sheet';
import { TryFirst } from '../kit/tryFirst';
import { Trying } from '../kit/trying';

/** Lets a place stand alone, or opens it again; tried first, and says whose access changes. */
@Component({
  selector: 'kc-alone-sheet',
  imports: [Sheet, TryFirst],
  template: `
    <kc-sheet [(open)]="open" [heading]="place().code + ' ' + place().title">
      <form class="form" (submit)="$event.preventDefault(); send()">
        <p class="quiet">{{ place().standAlone ? labels.openSays : labels.apartSays }}</p>
        <kc-try-first [what]="trying" reasonField="alone-reason" [label]="place().standAlone ? labels.setOpen : labels.setApart" />
      </form>
    </kc-sheet>
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class AloneSheet {
  protected readonly labels = {
    apartSays: $localize`What is given on places around it no longer reaches in, except for keepers and auditors. What is given here stays.`,
    openSays: $localize`What is given on places around it reaches in again.`,
    setApart: $localize`Let it stand alone`,
    setOpen: $localize`Open it again`,
  };
  private readonly api = inject(Api);
  readonly place = input.required<PlacePage>();
  readonly open = model(false);
  readonly done = output();
  protected readonly trying = new Trying();

  constructor() {
    effect(() => {
      if (this.open()) untracked(() => this.trying.begin());
    });
  }

  protected send(): void {
    const { id, revision, standAlone } = this.place();
    this.trying.send(
      (how) => this.api.call(people.setStandAlone, { params: { id }, body: { ...how, revision, standAlone: !standAlone } }),
      () => {
        this.open.set(false);
        this.done.emit();
      },
    );
  }
}

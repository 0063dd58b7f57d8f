import { ChangeDetectionStrategy, Component, computed, effect, inject, input, model, output, signal, untracked } from '@angular/core';
import { access, type Problem } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { Session } from '../identity/index';
import { Api, toProblem } from '../kit/api';
import { Choice } from '../kit/choice';
import { DateField } from '../kit/dateField';
import { LongTextField } from '../kit/longTextField';
import { ProblemNotice } from '../kit/notice';
import { profileChoices } from '../kit/profiles';
import { Sheet } from '../kit/sheet';

/** Asks for more access to a place, for some days. */
@Component({
  selector: 'kc-raise-sheet',
  imports: [Button, Choice, DateField, LongTextField, ProblemNotice, Sheet],
  template: `
    <kc-sheet [(open)]="open" heading="Ask for more access" i18n-heading>
      <form class="form" novalidate (submit)="$event.preventDefault(); send()">
        <p class="sheet-note" i18n>
          To {{ name() }}. Those who give access there are told and decide. What they give ends by itself after its last day.
        </p>
        <kc-choice
          field="raise-profile"
          label="As"
          i18n-label
          [options]="profiles()"
          [value]="profile()"
          (valueChange)="profile.set($event)"
        />
        <kc-date-field
          field="raise-until"
          label="Until, that day included"
          i18n-label
          [min]="session.today()"
          [value]="until()"
          (valueChange)="until.set($event)"
        />
        <kc-long-text-field
          field="raise-reason"
          label="Reason"
          i18n-label
          [needed]="true"
          [rows]="3"
          [maxlength]="2000"
          [value]="reason()"
          (valueChange)="reason.set($event)"
        />
        <kc-problem [problem]="problem()" />
        <p-button type="submit" [disabled]="busy() || !ready()" label="Ask for it" i18n-label />
      </form>
    </kc-sheet>
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class RaiseSheet {
  private readonly api = inject(Api);
  protected readonly session = inject(Session);
  readonly placeId = input.required<string>();
  readonly name = input.required<string>();
  readonly open = model(false);
  readonly done = output();
  protected readonly profiles = profileChoices().options;
  protected readonly profile = signal('editor');
  protected readonly until = signal<string | null>(null);
  protected readonly reason = signal('');
  protected readonly busy = signal(false);
  protected readonly problem = signal<Problem | null>(null);
  protected readonly ready = computed(() => this.reason().trim().length >= 3 && this.until() !== null);

  constructor() {
    effect(() => {
      if (!this.open()) return;
      untracked(() => {
        this.until.set(this.session.today());
        this.reason.set('');
        this.problem.set(null);
      });
    });
  }

  protected send(): void {
    this.busy.set(true);
    this.problem.set(null);
    const body = { placeId: this.placeId(), profile: this.profile(), until: this.until()!, reason: this.reason().trim() };
    this.api.call(access.askRaise, { body }).subscribe({
      next: () => {
        this.busy.set(false);
        this.open.set(false);
        this.done.emit();
      },
      error: (error: unknown) => {
        this.busy.set(false);
        this.problem.set(toProblem(error));
      },
    });
  }
}

import { ChangeDetectionStrategy, Component, effect, inject, input, model, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { fixity, type FixitySchedule, type Problem } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { Api, toProblem } from '../kit/api';
import { ProblemNotice } from '../kit/notice';
import { Sheet } from '../kit/sheet';
import { NumberField } from '../kit/numberField';

/** Says within how many days every content is checked, and how fast. */
@Component({
  selector: 'kc-fixity-sheet',
  imports: [NumberField, Button, FormsModule, ProblemNotice, Sheet],
  template: `
    <kc-sheet [(open)]="open" heading="How content is checked" i18n-heading>
      <form (ngSubmit)="save()">
        <p i18n>All content is read again byte by byte and compared with the fingerprint it arrived with.</p>
        <kc-number-field
          field="fixity-days"
          label="Each within (days)"
          i18n-label
          [min]="1"
          [max]="3660"
          [value]="days()"
          (valueChange)="days.set($event)"
        />
        <kc-number-field
          field="fixity-speed"
          label="Limit, megabytes a second"
          i18n-label
          hint="Keeps checking from slowing people down. At 20, one day is enough for 1.7 terabytes."
          i18n-hint
          [min]="1"
          [max]="2000"
          [value]="speed()"
          (valueChange)="speed.set($event)"
        />
        <kc-problem [problem]="problem()" />
        <p class="acts">
          <p-button type="submit" label="Save" i18n-label [disabled]="busy() || !(days() >= 1) || !(speed() >= 1)" />
          <p-button type="button" severity="secondary" [outlined]="true" label="Cancel" i18n-label (onClick)="open.set(false)" />
        </p>
      </form>
    </kc-sheet>
  `,
  styles: `
    form {
      display: grid;
      gap: 14px;
    }
    .field {
      display: grid;
      gap: 4px;
    }
    input {
      max-width: 140px;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class FixitySheet {
  private readonly api = inject(Api);
  readonly open = model.required<boolean>();
  readonly schedule = input.required<FixitySchedule>();
  readonly saved = output();

  protected readonly days = signal(0);
  protected readonly speed = signal(0);
  protected readonly busy = signal(false);
  protected readonly problem = signal<Problem | null>(null);

  constructor() {
    effect(() => {
      if (!this.open()) return;
      this.days.set(this.schedule().days);
      this.speed.set(this.schedule().megabytesPerSecond);
    });
  }

  protected save(): void {
    this.busy.set(true);
    this.problem.set(null);
    this.api.call(fixity.schedule, { body: { days: this.days(), megabytesPerSecond: this.speed() } }).subscribe({
      next: () => {
        this.busy.set(false);
        this.open.set(false);
        this.saved.emit();
      },
      error: (error: unknown) => {
        this.busy.set(false);
        this.problem.set(toProblem(error));
      },
    });
  }
}

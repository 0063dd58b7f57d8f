import { ChangeDetectionStrategy, Component, computed, inject, linkedSignal, model, signal } from '@angular/core';
import { people, type Problem } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { Api, toProblem } from '../kit/api';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { NumberField } from '../kit/numberField';
import { Sheet } from '../kit/sheet';

/** After how long sessions end: without use, and at the latest. What is set counts for sessions that are open, too. */
@Component({
  selector: 'kc-session-limits',
  imports: [Button, NumberField, ProblemNotice, Sheet],
  template: `
    <kc-sheet [(open)]="open" heading="When sessions end" i18n-heading>
      @if (page.value()) {
        <form class="form" (submit)="$event.preventDefault(); save()">
          <p class="sheet-note" i18n>
            For everybody, and at once: a session that is older than what is set here ends with its next request.
          </p>
          <kc-number-field
            field="idle-minutes"
            label="Minutes without use"
            i18n-label
            [min]="5"
            [max]="1440"
            [value]="idleMinutes()"
            [wrong]="wrong()['/idleMinutes']"
            (valueChange)="idleMinutes.set($event)"
          />
          <kc-number-field
            field="session-hours"
            label="Hours at the latest"
            i18n-label
            [min]="1"
            [max]="168"
            [value]="hours()"
            [wrong]="wrong()['/hours']"
            (valueChange)="hours.set($event)"
          />
          <kc-problem [problem]="problem()" />
          <p-button type="submit" [disabled]="busy()" label="Save" i18n-label />
        </form>
      }
      <kc-problem [problem]="page.problem()" />
    </kc-sheet>
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class SessionLimitsSheet {
  private readonly api = inject(Api);
  readonly open = model.required<boolean>();
  protected readonly page = loaded(() => this.api.call(people.sessionLimits));
  protected readonly idleMinutes = linkedSignal(() => this.page.value()?.idleMinutes ?? 0);
  protected readonly hours = linkedSignal(() => this.page.value()?.hours ?? 0);
  protected readonly busy = signal(false);
  protected readonly problem = signal<Problem | null>(null);
  protected readonly wrong = computed(() => Object.fromEntries((this.problem()?.fields ?? []).map((f) => [f.pointer, f.sentence])));

  protected save(): void {
    this.busy.set(true);
    this.problem.set(null);
    this.api.call(people.limitSessions, { body: { idleMinutes: this.idleMinutes(), hours: this.hours() } }).subscribe({
      next: () => {
        this.busy.set(false);
        this.open.set(false);
      },
      error: (error: unknown) => {
        this.busy.set(false);
        this.problem.set(toProblem(error));
      },
    });
  }
}

import { ChangeDetectionStrategy, Component, computed, effect, inject, model, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { people, type Problem } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { InputText } from 'primeng/inputtext';
import { Api, toProblem } from '../kit/api';
import { ProblemNotice } from '../kit/notice';
import { Sheet } from '../kit/sheet';
import { countWords } from '../kit/words';
import { NewPassword } from './newPassword';

/** A person's own password, changed. */
@Component({
  selector: 'kc-password-sheet',
  imports: [Button, FormsModule, InputText, NewPassword, ProblemNotice, Sheet],
  template: `
    <kc-sheet [(open)]="open" heading="Change your password" i18n-heading>
      @if (done()) {
        <p role="status">{{ done() }}</p>
      } @else {
        <form class="form" (ngSubmit)="change()">
          <div class="field">
            <label for="old-password" i18n>Password until now</label>
            <input
              pInputText
              id="old-password"
              name="old-password"
              type="password"
              required
              autocomplete="current-password"
              [attr.aria-invalid]="wrong()['/old'] ? true : null"
              [ngModel]="old()"
              (ngModelChange)="old.set($event)"
            />
            @if (wrong()['/old']; as why) {
              <span class="wrong" role="alert">{{ why }}</span>
            }
          </div>
          <kc-new-password [(value)]="password" [wrong]="wrong()['/password']" />
          <p class="quiet small" i18n>Wherever else you are signed in you are signed out.</p>
          @if (!wrong()['/old'] && !wrong()['/password']) {
            <kc-problem [problem]="problem()" />
          }
          <p-button type="submit" [disabled]="busy() || !old() || password().length < 12" label="Change it" i18n-label />
        </form>
      }
    </kc-sheet>
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class PasswordSheet {
  private readonly api = inject(Api);
  readonly open = model.required<boolean>();
  protected readonly old = signal('');
  protected readonly password = signal('');
  protected readonly busy = signal(false);
  protected readonly done = signal('');
  protected readonly problem = signal<Problem | null>(null);
  protected readonly wrong = computed(() => Object.fromEntries((this.problem()?.fields ?? []).map((f) => [f.pointer, f.sentence])));

  constructor() {
    effect(() => {
      if (!this.open()) return;
      untracked(() => {
        this.old.set('');
        this.password.set('');
        this.done.set('');
        this.problem.set(null);
      });
    });
  }

  protected change(): void {
    this.busy.set(true);
    this.problem.set(null);
    this.api.call(people.changePassword, { body: { old: this.old(), password: this.password() } }).subscribe({
      next: ({ ended }) => {
        this.busy.set(false);
        this.done.set($localize`Your password is changed. Other sessions ended: ${countWords(ended)}:count:.`);
      },
      error: (error: unknown) => {
        this.busy.set(false);
        this.problem.set(toProblem(error));
      },
    });
  }
}

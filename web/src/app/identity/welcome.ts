import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import { people, type Problem } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { Api, toProblem } from '../kit/api';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { Door } from './door';
import { NewPassword } from './newPassword';
import { Session } from './session';

/** Where a link to choose a password leads. The token stands behind the hash: it is in no log and in no other site’s hands. */
@Component({
  selector: 'kc-welcome',
  imports: [Button, Door, FormsModule, NewPassword, ProblemNotice, RouterLink],
  template: `
    <kc-door [repository]="found.value()?.repository ?? ''">
      @if (found.value(); as who) {
        <h1 i18n>Welcome, {{ who.name }}</h1>
        <p class="quiet" i18n>
          Choose the password with which you sign in as <code>{{ who.login }}</code>. Nobody else gets to know it.
        </p>
        <form class="form" (ngSubmit)="choose()">
          <input type="text" name="username" autocomplete="username" [value]="who.login" hidden readonly />
          <kc-new-password [(value)]="password" [wrong]="wrong()" />
          @if (!wrong()) {
            <kc-problem [problem]="problem()" />
          }
          <p-button type="submit" [disabled]="busy() || password().length < 12" label="Choose it and sign in" i18n-label />
        </form>
      } @else if (found.problem()) {
        <h1 i18n>This link does not work any more</h1>
        <p i18n>It works once, and for a week. Ask whoever gave it to you for another one.</p>
        <p><a routerLink="/sign-in" i18n>Sign in</a></p>
      }
    </kc-door>
  `,
  styles: `
    h1 {
      margin-bottom: 12px;
    }
    form {
      max-width: 340px;
      margin-top: 16px;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class Welcome {
  private readonly api = inject(Api);
  private readonly router = inject(Router);
  private readonly session = inject(Session);
  private readonly token = location.hash.slice(1);
  protected readonly found = loaded(() => this.api.call(people.invitation, { body: { token: this.token || '-' } }));
  protected readonly password = signal('');
  protected readonly busy = signal(false);
  protected readonly problem = signal<Problem | null>(null);
  protected readonly wrong = computed(() => this.problem()?.fields?.find((f) => f.pointer === '/password')?.sentence);

  protected choose(): void {
    this.busy.set(true);
    this.problem.set(null);
    this.api.call(people.accept, { body: { token: this.token, password: this.password() } }).subscribe({
      next: () => {
        this.session.forget();
        void this.router.navigateByUrl('/today', { replaceUrl: true });
      },
      error: (error: unknown) => {
        this.busy.set(false);
        this.problem.set(toProblem(error));
      },
    });
  }
}

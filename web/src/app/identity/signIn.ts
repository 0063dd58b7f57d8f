import { afterNextRender, ChangeDetectionStrategy, Component, inject, Injector, input, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Router } from '@angular/router';
import { federation, identity, type PersonRef, type Problem } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { InputText } from 'primeng/inputtext';
import { concatMap } from 'rxjs';
import { Api, toProblem } from '../kit/api';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { TextField } from '../kit/textField';
import { Door } from './door';
import { Session } from './session';
import { leaveFor, pageToGoTo, rememberWay } from './wayIn';

@Component({
  selector: 'kc-sign-in',
  imports: [Door, TextField, FormsModule, Button, InputText, ProblemNotice],
  templateUrl: './signIn.html',
  styleUrl: './signIn.css',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class SignIn {
  protected readonly labels = {
    make: $localize`Create the repository`,
    signIn: $localize`Sign in`,
  };
  private readonly api = inject(Api);
  private readonly router = inject(Router);
  private readonly session = inject(Session);
  /** Where the person wanted to go. */
  readonly back = input<string>();

  protected readonly entrance = loaded(() => this.api.call(identity.entrance));
  protected readonly ways = loaded(() => this.api.call(federation.ways));
  protected readonly login = signal('');
  protected readonly password = signal('');
  protected readonly name = signal('');
  protected readonly repository = signal('');
  protected readonly problem = signal<Problem | null>(null);
  protected readonly busy = signal(false);
  protected readonly asked = signal(false);
  /** Whether the person has a second factor, which is known once the password was right. */
  protected readonly codeAsked = signal(false);
  protected readonly code = signal('');
  private readonly injector = inject(Injector);

  protected submit(): void {
    const credentials = { login: this.login(), password: this.password() };
    const withCode = { ...credentials, code: this.codeAsked() ? this.code().trim() : null };
    this.busy.set(true);
    this.problem.set(null);
    const first = this.entrance.value()?.needsFirstKeeper
      ? this.api
          .call(identity.makeFirstKeeper, { body: { ...credentials, name: this.name(), repository: this.repository() } })
          .pipe(concatMap(() => this.api.call(identity.signIn, { body: credentials })))
      : this.api.call(identity.signIn, { body: withCode });
    first.subscribe({
      next: () => {
        this.session.forget();
        void this.router.navigateByUrl(pageToGoTo(this.back()));
      },
      error: (error: unknown) => {
        const problem = toProblem(error);
        this.busy.set(false);
        // The password was right: only the code is asked for besides.
        if (problem.type.endsWith(':code-needed') && !this.codeAsked()) {
          this.codeAsked.set(true);
          afterNextRender(() => document.getElementById('code')?.focus(), { injector: this.injector });
        } else this.problem.set(problem);
      },
    });
  }

  /** Leaves for a provider of identities, which sends the person back. */
  protected signInBy({ id }: PersonRef): void {
    rememberWay(this.back());
    this.busy.set(true);
    this.problem.set(null);
    this.api.call(federation.begin, { params: { id }, body: { link: false } }).subscribe({
      next: ({ url }) => leaveFor(url),
      error: (error: unknown) => {
        this.busy.set(false);
        this.problem.set(toProblem(error));
      },
    });
  }

  protected byName({ name }: PersonRef): string {
    return $localize`Sign in with ${name}:name:`;
  }

  /** Whoever asks learns nothing: the answer is the same for everybody. */
  protected forgot(): void {
    if (this.login().trim() === '') {
      document.getElementById('login')?.focus();
      this.problem.set({ type: '', title: '', status: 0, detail: $localize`Type your login first.` });
      return;
    }
    this.busy.set(true);
    this.problem.set(null);
    this.api.call(identity.forgot, { body: { login: this.login().trim() } }).subscribe({
      next: () => {
        this.busy.set(false);
        this.asked.set(true);
      },
      error: (error: unknown) => {
        this.busy.set(false);
        this.problem.set(toProblem(error));
      },
    });
  }

  protected fill(login: string): void {
    this.login.set(login);
    document.getElementById('password')?.focus();
  }
}

import { afterNextRender, ChangeDetectionStrategy, Component, inject, Injector, input, type OnInit, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import { federation, identity } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { InputText } from 'primeng/inputtext';
import { Api } from '../kit/api';
import { Doing } from '../kit/doing';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { Door } from './door';
import { Session } from './session';
import { rememberedWay } from './wayIn';

/** Where a provider of identities sends people back: what it sent along is used once, and gone from the address before anything else. */
@Component({
  selector: 'kc-from-provider',
  imports: [Button, Door, FormsModule, InputText, ProblemNotice, RouterLink],
  template: `
    <kc-door [repository]="entrance.value()?.repository ?? ''">
      @if (codeAsked()) {
        <h1 i18n>One more step</h1>
        <p class="quiet" i18n>You have a second factor here.</p>
        <form class="form" (ngSubmit)="giveCode()">
          <div class="field">
            <label for="code" i18n>Code of your app</label>
            <input
              pInputText
              id="code"
              name="code"
              class="mono"
              autocomplete="one-time-code"
              inputmode="numeric"
              maxlength="40"
              [ngModel]="code()"
              (ngModelChange)="code.set($event)"
            />
            <span class="hint" i18n>Or a recovery code.</span>
          </div>
          <kc-problem [problem]="doing.problem()" />
          <p-button type="submit" [disabled]="doing.busy() || !code().trim()" label="Sign in" i18n-label />
        </form>
      } @else if (doing.problem(); as problem) {
        <h1 i18n>Not signed in</h1>
        <kc-problem [problem]="problem" />
        <p><a routerLink="/sign-in" i18n>Sign in</a></p>
      } @else {
        <h1 i18n>Signing in …</h1>
      }
    </kc-door>
  `,
  styles: `
    h1 {
      margin-bottom: 12px;
    }
    form {
      max-width: 340px;
      margin-top: 8px;
    }
    p {
      margin-top: 12px;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class FromProvider implements OnInit {
  private readonly api = inject(Api);
  private readonly router = inject(Router);
  private readonly session = inject(Session);
  private readonly injector = inject(Injector);
  readonly id = input.required<string>();
  protected readonly entrance = loaded(() => this.api.call(identity.entrance));
  protected readonly doing = new Doing();
  protected readonly codeAsked = signal(false);
  protected readonly code = signal('');

  ngOnInit(): void {
    const sent = location.search;
    history.replaceState(history.state, '', location.pathname);
    this.doing.run(this.api.call(federation.finish, { params: { id: this.id() }, body: { sent } }), ({ came }) => {
      if (came !== 'code') return this.goOn();
      this.codeAsked.set(true);
      afterNextRender(() => document.getElementById('code')?.focus(), { injector: this.injector });
    });
  }

  protected giveCode(): void {
    this.doing.run(this.api.call(federation.giveCode, { body: { code: this.code().trim() } }), () => this.goOn());
  }

  private goOn(): void {
    this.session.forget();
    void this.router.navigateByUrl(rememberedWay(), { replaceUrl: true });
  }
}

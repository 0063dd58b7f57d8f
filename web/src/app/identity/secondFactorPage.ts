import { ChangeDetectionStrategy, Component, inject } from '@angular/core';
import { Router } from '@angular/router';
import { identity } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { Api } from '../kit/api';
import { Door } from './door';
import { SecondFactorSteps } from './secondFactorSteps';
import { Session } from './session';

/** Where somebody comes to who has to set up a second factor before anything else. */
@Component({
  selector: 'kc-second-factor',
  imports: [Button, Door, SecondFactorSteps],
  template: `
    <kc-door [repository]="session.me()?.repository ?? ''">
      <h1 i18n>Second factor</h1>
      <kc-second-factor-steps (changed)="enter()" />
      <p class="out"><p-button severity="secondary" [text]="true" label="Sign out" i18n-label (onClick)="leave()" /></p>
    </kc-door>
  `,
  styles: `
    h1 {
      margin-bottom: 12px;
    }
    .out {
      margin-top: 24px;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class SecondFactorPage {
  private readonly api = inject(Api);
  private readonly router = inject(Router);
  protected readonly session = inject(Session);

  protected enter(): void {
    this.session.forget();
    void this.router.navigateByUrl('/today', { replaceUrl: true });
  }

  protected leave(): void {
    this.api.call(identity.signOut).subscribe(() => {
      this.session.forget();
      void this.router.navigateByUrl('/sign-in');
    });
  }
}

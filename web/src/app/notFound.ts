import { ChangeDetectionStrategy, Component } from '@angular/core';
import { RouterLink } from '@angular/router';

@Component({
  selector: 'kc-not-found',
  imports: [RouterLink],
  template: `
    <div class="page">
      <h1 i18n>There is nothing at this address</h1>
      <p class="lede" i18n>It may have moved, or you may not see it. <a routerLink="/today">Go to today</a></p>
    </div>
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class NotFound {}

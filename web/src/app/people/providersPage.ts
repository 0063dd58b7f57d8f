import { ChangeDetectionStrategy, Component, inject, signal } from '@angular/core';
import { federation, type ProviderLine } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { EMPTY } from 'rxjs';
import { Session } from '../identity/index';
import { Api } from '../kit/api';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { CountPipe } from '../kit/words';
import { SetupNav } from '../records/index';
import { ProgramsList } from './programsList';
import { ProviderSheet } from './providerSheet';

/** Providers of identities by which people sign in, besides their passwords. */
@Component({
  selector: 'kc-providers',
  imports: [Button, CountPipe, ProblemNotice, ProgramsList, ProviderSheet, SetupNav],
  template: `
    <div class="page">
      <div class="page-head">
        <div>
          <h1 i18n>Sign-in and programs</h1>
          <p class="lede" i18n>
            People sign in with the account that they have in your organisation anyway (OpenID Connect). What they may do here is granted
            here, to them or to groups that the provider puts them into.
          </p>
        </div>
        @if (setsUp) {
          <div class="acts">
            <p-button label="Add a provider" i18n-label ariaHasPopup="dialog" (onClick)="show(null)" />
          </div>
        }
      </div>
      <kc-setup-nav />
      <kc-problem [problem]="page.problem()" />
      @if (setsUp) {
        <h2 i18n>Sign-in providers</h2>
      }
      @if (page.value(); as p) {
        @if (p.providers.length === 0) {
          <div class="empty" i18n>
            <b>No provider</b>Everybody signs in with a password of their own here. Add the provider of your organisation, and newcomers
            need none.
          </div>
        } @else {
          <table class="frame">
            <thead>
              <tr>
                <th i18n>name</th>
                <th i18n>issuer</th>
                <th class="num" i18n>people</th>
                <th i18n>who gets in</th>
                <th i18n>groups</th>
              </tr>
            </thead>
            <tbody>
              @for (one of p.providers; track one.id) {
                <tr>
                  <td>
                    <button type="button" class="as-link" (click)="show(one)">{{ one.name }}</button>
                    @if (!one.active) {
                      <span class="quiet small line" i18n>not in use</span>
                    }
                  </td>
                  <td class="wrap">{{ one.issuer }}</td>
                  <td class="num">{{ one.people | count }}</td>
                  <td>{{ whoWords(one) }}</td>
                  <td>{{ groupWords(one) }}</td>
                </tr>
              }
            </tbody>
          </table>
        }
        @if (open()) {
          <kc-provider-sheet [(open)]="open" [provider]="shown()" (changed)="page.reload()" />
        }
      }
      <kc-programs />
    </div>
  `,
  styles: `
    h2 {
      margin: 0 0 8px;
    }
    td {
      vertical-align: top;
    }
    .line {
      display: block;
    }
    .wrap {
      overflow-wrap: anywhere;
    }
    .as-link {
      font: inherit;
      color: inherit;
      background: none;
      border: 0;
      padding: 0;
      cursor: pointer;
    }
    .as-link:hover {
      text-decoration: underline;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class ProvidersPage {
  private readonly api = inject(Api);
  /** Who signs in as whom is decided by those who set up; programs may be somebody else’s. */
  protected readonly setsUp = inject(Session).may('setUp');
  protected readonly page = loaded(() => (this.setsUp ? this.api.call(federation.providers) : EMPTY));
  protected readonly open = signal(false);
  protected readonly shown = signal<ProviderLine | null>(null);

  protected show(provider: ProviderLine | null): void {
    this.shown.set(provider);
    this.open.set(true);
  }

  protected whoWords({ newcomers, byEmail }: ProviderLine): string {
    if (newcomers) return $localize`everybody that it knows`;
    return byEmail ? $localize`people here with the same address` : $localize`people who linked it themselves`;
  }

  protected groupWords({ groups }: ProviderLine): string {
    return groups.length === 0 ? $localize`none` : [...new Set(groups.map((g) => g.group.name))].join(', ');
  }
}

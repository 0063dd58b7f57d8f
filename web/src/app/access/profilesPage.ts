import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { access, type ProfileLine } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { Session } from '../identity/index';
import { Api } from '../kit/api';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { CountPipe } from '../kit/words';
import { AccessNav } from './accessNav';
import { ProfileSheet } from './profileSheet';
import { rightTitles } from './rightTitles';

/** Profiles and the single rights of each: those that ship, and those of the repository’s own. */
@Component({
  selector: 'kc-profiles',
  imports: [AccessNav, Button, CountPipe, ProblemNotice, ProfileSheet],
  template: `
    <div class="page">
      <div class="page-head">
        <div>
          <h1 i18n>Profiles</h1>
          <p class="lede" i18n>
            A profile is a set of rights that is given together, to a person or group, on a place or record. Those that ship do not change.
          </p>
        </div>
        @if (session.may('setUp')) {
          <p-button label="Make a profile" i18n-label (onClick)="begin(null)" />
        }
      </div>
      <kc-access-nav />
      <kc-problem [problem]="page.problem()" />
      @if (page.value(); as p) {
        <div class="wide">
          <table class="frame">
            <thead>
              <tr>
                <th i18n>right</th>
                @for (one of p.profiles; track one.code) {
                  <th class="name" [class.gone]="!one.active">
                    @if (one.own && session.may('setUp')) {
                      <button type="button" class="as-link" (click)="begin(one)">{{ one.title }}</button>
                    } @else {
                      {{ one.title }}
                    }
                  </th>
                }
              </tr>
            </thead>
            <tbody>
              @for (right of rights; track right.right) {
                <tr>
                  <th scope="row">{{ right.title }}</th>
                  @for (one of p.profiles; track one.code) {
                    <td [class.has]="extent(one, right.right) !== 'no'">
                      @switch (extent(one, right.right)) {
                        @case ('all') {
                          <span aria-hidden="true">●</span><span class="sr" i18n>yes</span>
                        }
                        @case ('own') {
                          <span aria-hidden="true">◐</span><span class="sr" i18n>on own deposits</span>
                        }
                        @default {
                          <span class="sr" i18n>no</span>
                        }
                      }
                    </td>
                  }
                </tr>
              }
              <tr>
                <th scope="row" i18n>given</th>
                @for (one of p.profiles; track one.code) {
                  <td class="num small">{{ one.grants | count }}</td>
                }
              </tr>
            </tbody>
          </table>
        </div>
        <p class="small quiet" i18n>● on all of it · ◐ on what they deposited themselves</p>
        @if (own() === 0) {
          <p class="quiet" i18n>
            The repository has no profiles of its own. Make one where those that ship give too much or too little, such as reading and
            moving without changing.
          </p>
        }
        <kc-profile-sheet [(open)]="sheet" [profile]="profile()" (changed)="page.reload()" />
      }
    </div>
  `,
  styles: `
    .wide {
      overflow-x: auto;
    }
    table.frame {
      width: auto;
    }
    td {
      text-align: center;
    }
    th.name {
      padding-inline: 4px;
      font-size: 12px;
      line-height: 1.25;
      text-align: center;
      vertical-align: bottom;
      white-space: normal;
    }
    th[scope='row'] {
      font-weight: normal;
      text-align: start;
      max-width: 15rem;
      white-space: normal;
    }
    td.has {
      background: var(--brass-wash);
    }
    th.gone {
      text-decoration: line-through;
    }
    .as-link {
      font: inherit;
      padding: 0;
      border: 0;
      background: none;
      color: inherit;
      text-decoration: underline;
      cursor: pointer;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class ProfilesPage {
  private readonly api = inject(Api);
  protected readonly session = inject(Session);
  protected readonly page = loaded(() => this.api.call(access.profiles));
  protected readonly rights = rightTitles;
  protected readonly own = computed(() => (this.page.value()?.profiles ?? []).filter((p) => p.own).length);
  protected readonly sheet = signal(false);
  protected readonly profile = signal<ProfileLine | null>(null);

  protected extent({ rights, ownOnly }: ProfileLine, right: string): 'all' | 'own' | 'no' {
    if (!rights.some((one) => one === right)) return 'no';
    return ownOnly && right !== 'deposit' ? 'own' : 'all';
  }

  protected begin(profile: ProfileLine | null): void {
    this.profile.set(profile);
    this.sheet.set(true);
  }
}

import { ChangeDetectionStrategy, Component, inject } from '@angular/core';
import { RouterLink, RouterLinkActive } from '@angular/router';
import { Session } from '../identity/index';

/** The ways to look at the schedule. */
@Component({
  selector: 'kc-schedule-nav',
  imports: [RouterLink, RouterLinkActive],
  template: `
    <nav aria-label="Views of the schedule" i18n-aria-label>
      @for (view of views; track view.path) {
        @if (!view.keepers || session.may('dispose')) {
          <a [routerLink]="view.path" routerLinkActive="on" ariaCurrentWhenActive="page" [routerLinkActiveOptions]="{ exact: true }">{{
            view.name
          }}</a>
        }
      }
    </nav>
  `,
  styles: `
    nav {
      display: flex;
      flex-wrap: wrap;
      border-bottom: 1px solid var(--line);
      margin-bottom: 12px;
    }
    a {
      padding: 5px 12px 6px;
      text-decoration: none;
      color: var(--ink-2);
      border-bottom: 2px solid transparent;
      margin-bottom: -1px;
    }
    a:hover {
      color: var(--ink);
    }
    a.on {
      color: var(--ink);
      font-weight: 600;
      border-bottom-color: var(--brass);
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class ScheduleNav {
  protected readonly session = inject(Session);
  protected readonly views = [
    { path: '/schedule', name: $localize`Rules`, keepers: false },
    { path: '/schedule/types', name: $localize`By type`, keepers: false },
    { path: '/schedule/criteria', name: $localize`By criteria`, keepers: true },
    { path: '/schedule/jurisdictions', name: $localize`Jurisdictions`, keepers: false },
    { path: '/schedule/waiting', name: $localize`Waiting`, keepers: false },
    { path: '/schedule/forecast', name: $localize`Thirty years`, keepers: true },
    { path: '/schedule/check', name: $localize`Check`, keepers: true },
  ];
}

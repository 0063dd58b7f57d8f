import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import { Session } from '../identity/index';
import { Views } from '../kit/views';

const views = [
  { path: '/schedule', name: $localize`Rules`, keepers: false },
  { path: '/schedule/types', name: $localize`By type`, keepers: false },
  { path: '/schedule/criteria', name: $localize`By criteria`, keepers: true },
  { path: '/schedule/jurisdictions', name: $localize`Jurisdictions`, keepers: false },
  { path: '/schedule/lists', name: $localize`Events and years`, keepers: false },
  { path: '/schedule/waiting', name: $localize`Waiting`, keepers: false },
  { path: '/schedule/forecast', name: $localize`Thirty years`, keepers: true },
  { path: '/schedule/check', name: $localize`Check`, keepers: true },
];

/** The ways to look at the schedule. */
@Component({
  selector: 'kc-schedule-nav',
  imports: [Views],
  template: `<kc-views label="Views of the schedule" i18n-label [views]="views()" />`,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class ScheduleNav {
  private readonly session = inject(Session);
  protected readonly views = computed(() => views.filter((view) => !view.keepers || this.session.may('dispose')));
}

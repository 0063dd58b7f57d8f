import { ChangeDetectionStrategy, Component } from '@angular/core';
import { Views } from '../kit/views';

/** The ways to look at access. */
@Component({
  selector: 'kc-access-nav',
  imports: [Views],
  template: `<kc-views label="Views of access" i18n-label [views]="views" />`,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class AccessNav {
  protected readonly views = [
    { path: '/access', name: $localize`Places and people` },
    { path: '/access/compare', name: $localize`Side by side` },
    { path: '/access/reach', name: $localize`Who can reach it` },
    { path: '/access/passes', name: $localize`Visitor passes` },
    { path: '/access/asked', name: $localize`Asked for` },
    { path: '/access/reviews', name: $localize`Reviews` },
    { path: '/access/tags', name: $localize`Tags` },
    { path: '/access/profiles', name: $localize`Profiles` },
    { path: '/access/look', name: $localize`To look at` },
  ];
}

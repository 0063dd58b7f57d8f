import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import { Session } from '../identity/index';
import { Views } from '../kit/views';

const views = [
  { path: '/setup', name: $localize`Record types` },
  { path: '/setup/parties', name: $localize`Parties` },
  { path: '/setup/objects', name: $localize`Business objects` },
  { path: '/setup/numbering', name: $localize`Numbering` },
];
const acts = { path: '/setup/acts', name: $localize`Who can do what` };
const packages = { path: '/setup/packages', name: $localize`Packages` };
const people = { path: '/setup/people', name: $localize`People and groups` };
const mail = { path: '/setup/mail', name: $localize`Mail` };
const providers = { path: '/setup/providers', name: $localize`Sign-in` };
const outside = { path: '/setup/outside', name: $localize`Outside` };
const detectors = { path: '/setup/detectors', name: $localize`Detectors` };

/** How the repository is arranged. */
@Component({
  selector: 'kc-setup-nav',
  imports: [Views],
  template: `<kc-views label="Views of the setup" i18n-label [views]="views()" />`,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class SetupNav {
  private readonly session = inject(Session);
  /** What detectors find tells what is in content: it is for those who keep, hold or audit. */
  protected readonly views = computed(() => [
    ...views,
    ...((['dispose', 'hold', 'audit'] as const).some((right) => this.session.may(right)) ? [detectors] : []),
    ...(this.session.may('people') ? [people] : []),
    ...(this.session.may('connect') ? [providers, mail, outside] : []),
    ...(this.session.may('dispose') ? [packages] : []),
    acts,
  ]);
}

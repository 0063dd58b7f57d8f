import { NgTemplateOutlet } from '@angular/common';
import { ChangeDetectionStrategy, Component, computed, DestroyRef, inject, signal } from '@angular/core';
import { Router, RouterLink, RouterLinkActive, RouterOutlet } from '@angular/router';
import { federation, identity } from '@key-cellar/contract';
import type { Right } from '@key-cellar/core/access';
import { languageNames, languages, type Language } from '@key-cellar/words';
import { Button } from 'primeng/button';
import { Popover } from 'primeng/popover';
import { Tooltip } from 'primeng/tooltip';
import { Needs } from './identity/needs';
import { Session } from './identity/session';
import { ClockSheet } from './identity/clockSheet';
import { LinksSheet } from './identity/linksSheet';
import { PasswordSheet } from './identity/passwordSheet';
import { SecondFactorSteps } from './identity/secondFactorSteps';
import { SessionsSheet } from './identity/sessionsSheet';
import { AskBar } from './kit/askBar';
import { Api } from './kit/api';
import { Keys } from './kit/keys';
import { loaded } from './kit/loaded';
import { Sheet } from './kit/sheet';
import { OwnLanguage } from './kit/ownLanguage';
import { Theme, type ThemeChoice } from './kit/theme';
import { Unsaved } from './kit/unsaved';
import { CountPipe, DayPipe } from './kit/words';

interface Area {
  readonly key: string;
  readonly path: string;
  readonly name: string;
  readonly needs?: 'today' | 'receiving' | 'holds' | 'docket';
  readonly right?: readonly Right[];
}

const areas: readonly Area[] = [
  { key: '1', path: '/today', name: $localize`Today`, needs: 'today' },
  { key: '2', path: '/receiving', name: $localize`Receiving`, needs: 'receiving', right: ['deposit'] },
  { key: '3', path: '/plan', name: $localize`Plan` },
  { key: '4', path: '/find', name: $localize`Find` },
  { key: '5', path: '/schedule', name: $localize`Schedule` },
  { key: '6', path: '/holds', name: $localize`Holds`, needs: 'holds', right: ['hold', 'audit'] },
  { key: '7', path: '/docket', name: $localize`Docket`, needs: 'docket', right: ['dispose', 'approve', 'audit'] },
  { key: '8', path: '/proof', name: $localize`Proof`, right: ['audit'] },
  { key: '9', path: '/access', name: $localize`Access`, right: ['grant', 'audit'] },
  { key: '0', path: '/setup', name: $localize`Setup`, right: ['edit', 'dispose', 'setUp', 'people', 'connect', 'arrange'] },
];

/** The frame: spine on the left, head strip with the ask bar, the page. */
@Component({
  selector: 'kc-shell',
  imports: [
    AskBar,
    Button,
    ClockSheet,
    CountPipe,
    DayPipe,
    LinksSheet,
    NgTemplateOutlet,
    Popover,
    RouterLink,
    RouterLinkActive,
    RouterOutlet,
    PasswordSheet,
    SecondFactorSteps,
    SessionsSheet,
    Sheet,
    Tooltip,
  ],
  templateUrl: './shell.html',
  styleUrl: './shell.css',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class Shell {
  private readonly api = inject(Api);
  private readonly router = inject(Router);
  private readonly keys = inject(Keys);
  protected readonly unsaved = inject(Unsaved);
  protected readonly session = inject(Session);
  private readonly needs = inject(Needs);
  protected readonly theme = inject(Theme);
  protected readonly language = inject(OwnLanguage);
  protected readonly me = this.session.me;
  protected readonly hints = this.keys.hints;
  protected readonly themes: readonly { choice: ThemeChoice; name: string }[] = [
    { choice: 'system', name: $localize`As the system` },
    { choice: 'light', name: $localize`Light` },
    { choice: 'dark', name: $localize`Dark` },
  ];
  protected readonly languages: readonly { choice: Language | null; name: string }[] = [
    { choice: null, name: $localize`As the browser` },
    ...languages.map((choice) => ({ choice, name: languageNames[choice] })),
  ];

  protected readonly areas = computed(() => {
    const me = this.me();
    const counts = this.needs.counts();
    return areas
      .filter((area) => !area.right || area.right.some((right) => me?.rights.includes(right)))
      .map((area) => ({ ...area, count: area.needs ? counts[area.needs] : 0 }));
  });
  protected readonly initials = computed(() =>
    (this.me()?.name ?? '')
      .split(/[\s-]+/)
      .map((part) => part.charAt(0))
      .slice(0, 2)
      .join(''),
  );

  protected readonly keysOpen = signal(false);
  protected readonly sessionsOpen = signal(false);
  protected readonly passwordOpen = signal(false);
  protected readonly factorOpen = signal(false);
  protected readonly linksOpen = signal(false);
  /** Providers of identities by which people sign in here. */
  protected readonly ways = loaded(() => this.api.call(federation.ways));
  protected readonly clockOpen = signal(false);

  constructor() {
    const remove = this.keys.add({
      '/': [$localize`ask bar`, () => document.querySelector<HTMLInputElement>('kc-ask-bar input')?.focus()],
      '?': [$localize`all keys`, () => this.keysOpen.set(true)],
      Escape: [$localize`back`, () => history.back()],
      ...Object.fromEntries(this.areas().map((a) => [a.key, [a.name, () => this.go(a)] as [string, () => void]])),
    });
    inject(DestroyRef).onDestroy(remove);
  }

  private go(area: Area): void {
    if (this.areas().some((a) => a.path === area.path)) void this.router.navigateByUrl(area.path);
  }

  protected async signOut(): Promise<void> {
    if (!(await this.unsaved.mayLeave())) return;
    this.api.call(identity.signOut).subscribe({
      next: () => {
        this.session.forget();
        void this.router.navigateByUrl('/sign-in');
      },
      error: () => location.assign('/sign-in'),
    });
  }
}

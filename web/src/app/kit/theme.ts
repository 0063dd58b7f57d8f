import { DOCUMENT, effect, inject, Injectable, signal } from '@angular/core';

export type ThemeChoice = 'system' | 'light' | 'dark';
const kept = 'key-cellar-theme';

/** Light or dark: follows the system until somebody chooses. */
@Injectable({ providedIn: 'root' })
export class Theme {
  private readonly root = inject(DOCUMENT).documentElement;
  private readonly system = matchMedia('(prefers-color-scheme: dark)');
  private readonly systemDark = signal(this.system.matches);
  readonly choice = signal<ThemeChoice>((localStorage.getItem(kept) as ThemeChoice | null) ?? 'system');

  constructor() {
    this.system.addEventListener('change', (event) => this.systemDark.set(event.matches));
    effect(() => {
      const dark = this.choice() === 'dark' || (this.choice() === 'system' && this.systemDark());
      this.root.dataset['theme'] = dark ? 'dark' : 'light';
      this.root.style.colorScheme = dark ? 'dark' : 'light';
    });
  }

  choose(choice: ThemeChoice): void {
    localStorage.setItem(kept, choice);
    this.choice.set(choice);
  }
}

import { ChangeDetectionStrategy, Component, input } from '@angular/core';

/** The page before one is in: the door on one side, what is asked on the other. */
@Component({
  selector: 'kc-door',
  template: `
    <main>
      <section class="door">
        <svg viewBox="0 0 24 24" width="56" height="56" aria-hidden="true">
          <path d="M4 21V11a8 8 0 0 1 16 0v10z" fill="none" stroke="var(--brass-light)" stroke-width="1.6" />
          <circle cx="12" cy="12" r="2.2" fill="var(--brass-light)" />
          <path d="M11.1 13h1.8l.8 4.4h-3.4z" fill="var(--brass-light)" />
        </svg>
        <p class="name" i18n>Key Cellar</p>
        <p class="of">{{ repository() }}</p>
        <p class="motto" i18n>What is kept, for how long, and why.</p>
      </section>
      <section class="in"><ng-content /></section>
    </main>
  `,
  styleUrl: './door.css',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class Door {
  readonly repository = input('');
}

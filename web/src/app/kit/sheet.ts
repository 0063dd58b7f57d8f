import { ChangeDetectionStrategy, Component, DestroyRef, effect, inject, input, model, viewChild } from '@angular/core';
import { Drawer } from 'primeng/drawer';
import { pageDirection } from '../../words/language';
import { overlays } from './overlays';

/** Where one begins in a sheet: its first field, else its first button. */
const fields = 'input:not([type=hidden], :disabled), textarea:not(:disabled), [role=combobox]';

/** A short task from the edge where a line of writing ends. Esc closes it; focus returns to where it was. */
@Component({
  selector: 'kc-sheet',
  imports: [Drawer],
  template: `
    <p-drawer
      [(visible)]="open"
      [position]="edge"
      [style]="{ width: 'min(' + width() + 'px, 100vw)' }"
      [header]="heading()"
      [modal]="true"
      [blockScroll]="false"
      [closeOnEscape]="false"
      (onShow)="enter()"
      [pt]="{ root: { role: 'dialog', 'aria-modal': 'true', 'aria-label': heading() } }"
    >
      @if (open()) {
        <ng-content />
      }
    </p-drawer>
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class Sheet {
  readonly open = model.required<boolean>();
  readonly heading = input.required<string>();
  readonly width = input(460);

  protected readonly edge = pageDirection === 'rtl' ? 'left' : 'right';
  private readonly drawer = viewChild.required(Drawer);
  /** What had the focus before it opened. */
  private before: HTMLElement | null = null;

  constructor() {
    effect(() => {
      const active = document.activeElement;
      if (this.open()) this.before = active instanceof HTMLElement ? active : null;
      else this.goBack();
    });
    let listed = false;
    // Looked at before a list hears of the key and is gone.
    const look = (event: KeyboardEvent): void => void (listed = event.key === 'Escape' && document.querySelector(overlays) !== null);
    const close = (event: KeyboardEvent): void => {
      if (event.key === 'Escape' && !listed && this.open()) this.open.set(false);
    };
    document.addEventListener('keydown', look, true);
    document.addEventListener('keydown', close);
    inject(DestroyRef).onDestroy(() => {
      document.removeEventListener('keydown', look, true);
      document.removeEventListener('keydown', close);
      // A drawer that goes while it is still closing forgets its veil, which would lie over the next page for good.
      this.drawer().destroyModal();
    });
  }

  /** The keyboard goes on inside. */
  protected enter(): void {
    const content = (this.drawer().container as HTMLElement | null)?.querySelector('.p-drawer-content');
    const first = content?.querySelector<HTMLElement>(fields) ?? content?.querySelector<HTMLElement>('button:not(:disabled), a[href]');
    first?.focus({ preventScroll: true });
  }

  private goBack(): void {
    // Whoever has gone on elsewhere meanwhile stays there.
    const inside = document.activeElement === document.body || document.activeElement?.closest('.p-drawer');
    if (inside && this.before?.isConnected) this.before.focus({ preventScroll: true });
    this.before = null;
  }
}

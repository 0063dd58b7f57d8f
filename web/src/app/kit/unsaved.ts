import { DestroyRef, DOCUMENT, inject, Injectable, signal } from '@angular/core';
import type { CanDeactivateFn } from '@angular/router';

/** Knows whether something on the page was changed and not saved, and asks before it is left. */
@Injectable({ providedIn: 'root' })
export class Unsaved {
  private readonly changed = new Set<() => boolean>();
  /** Called with the answer; null while nobody is asked. */
  private readonly asked = signal<((leave: boolean) => void) | null>(null);
  readonly asking = this.asked.asReadonly();

  constructor() {
    // Closing the window and reloading: there the browser asks, in its own words.
    inject(DOCUMENT).defaultView!.addEventListener('beforeunload', (event) => {
      if (this.any()) event.preventDefault();
    });
  }

  /** Watches a page for as long as it lives. Call in an injection context. */
  watch(isChanged: () => boolean): void {
    this.changed.add(isChanged);
    inject(DestroyRef).onDestroy(() => this.changed.delete(isChanged));
  }

  any(): boolean {
    return [...this.changed].some((isChanged) => isChanged());
  }

  /** Whether the page may be left: at once when nothing would be lost, else as the person answers. */
  mayLeave(): boolean | Promise<boolean> {
    if (!this.any()) return true;
    this.answer(false);
    return new Promise((resolve) => this.asked.set(resolve));
  }

  answer(leave: boolean): void {
    // What was let go is not asked about again on the way out.
    if (leave) this.changed.clear();
    this.asked()?.(leave);
    this.asked.set(null);
  }
}

/** For routes of pages on which something is changed and saved later. */
export const asksWhenUnsaved: CanDeactivateFn<unknown> = () => inject(Unsaved).mayLeave();

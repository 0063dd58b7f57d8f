import { DOCUMENT, inject, Injectable, signal } from '@angular/core';

export interface KeyHint {
  readonly keys: string;
  readonly words: string;
}

/** True while somebody types: then no single key does anything. */
export function isTyping(target: EventTarget | null): boolean {
  if (!(target instanceof HTMLElement)) return false;
  if (target.isContentEditable || target instanceof HTMLTextAreaElement || target instanceof HTMLSelectElement) return true;
  if (target instanceof HTMLInputElement) return !['checkbox', 'radio', 'button', 'submit'].includes(target.type);
  return target.getAttribute('role') === 'combobox' || target.closest('[role=listbox]') !== null;
}

/** The name of a key press as pages register it: `d`, `Shift+D`, `/`, `Enter`. */
export function keyName(event: KeyboardEvent): string {
  return event.shiftKey && /^[A-Z]$/.test(event.key) ? `Shift+${event.key}` : event.key;
}

type Handler = (event: KeyboardEvent) => void;

/** Keys of the page that is open; the newest page's come first. */
@Injectable({ providedIn: 'root' })
export class Keys {
  private readonly layers: ReadonlyMap<string, { words: string; run: Handler }>[] = [];
  readonly hints = signal<readonly KeyHint[]>([]);

  constructor() {
    inject(DOCUMENT).addEventListener('keydown', (event) => {
      if (event.ctrlKey || event.metaKey || event.altKey || event.defaultPrevented || isTyping(event.target)) return;
      // Behind an open sheet nothing reacts; the sheet has its own Esc.
      if (document.querySelector('.p-drawer-open, .p-dialog')) return;
      const name = keyName(event);
      for (let i = this.layers.length - 1; i >= 0; i--) {
        const found = this.layers[i]!.get(name);
        if (found) {
          event.preventDefault();
          found.run(event);
          return;
        }
      }
    });
  }

  /** Registers keys until the returned function is called. */
  add(keys: Readonly<Record<string, [words: string, run: Handler]>>): () => void {
    const layer = new Map(Object.entries(keys).map(([key, [words, run]]) => [key, { words, run }]));
    this.layers.push(layer);
    this.refresh();
    return () => {
      this.layers.splice(this.layers.indexOf(layer), 1);
      this.refresh();
    };
  }

  private refresh(): void {
    const seen = new Map<string, string>();
    for (const layer of this.layers) for (const [keys, { words }] of layer) seen.set(keys, words);
    this.hints.set([...seen].map(([keys, words]) => ({ keys, words })));
  }
}

import { DOCUMENT, inject, Injectable, signal } from '@angular/core';
import { overlays } from './overlays';

/** One act and every key that does it, as they are printed on a keyboard. */
interface KeyHint {
  readonly keys: readonly string[];
  readonly words: string;
}

/** Keys that work everywhere, and keys of the page that is open. */
export interface KeyHints {
  readonly everywhere: readonly KeyHint[];
  readonly here: readonly KeyHint[];
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

const printed: Readonly<Record<string, string>> = {
  ArrowUp: '↑',
  ArrowDown: '↓',
  ArrowLeft: '←',
  ArrowRight: '→',
  ' ': $localize`Space`,
  Enter: $localize`Enter`,
  Escape: $localize`Esc`,
};

/** A key as it is printed on a keyboard: `↓`, `Space`, `Shift D`. */
function keyLabel(name: string): string {
  return printed[name] ?? name.replace('+', ' ');
}

/** Figures come first, as they stand on a keyboard; the others stay in their order. */
const rank = (name: string): number => (name === '0' ? 10 : /^\d$/.test(name) ? Number(name) : 11);

/** Does something; false where it has nothing to do just now, so that the key goes on to whoever else has it. */
type Handler = (event: KeyboardEvent) => unknown;

/** Keys of the page that is open; the newest page's come first. */
@Injectable({ providedIn: 'root' })
export class Keys {
  private readonly layers: ReadonlyMap<string, { words: string; run: Handler }>[] = [];
  readonly hints = signal<KeyHints>({ everywhere: [], here: [] });

  constructor() {
    inject(DOCUMENT).addEventListener('keydown', (event) => {
      if (event.ctrlKey || event.metaKey || event.altKey || event.defaultPrevented || isTyping(event.target)) return;
      // Behind an open sheet nothing reacts; the sheet has its own Esc.
      if (document.querySelector('.p-drawer-open, .p-dialog')) return;
      const name = keyName(event);
      if (name === 'Escape' && document.querySelector(overlays)) return;
      for (let i = this.layers.length - 1; i >= 0; i--) {
        const found = this.layers[i]!.get(name);
        if (found && found.run(event) !== false) {
          event.preventDefault();
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
    const taken = new Set<string>();
    const hintsOf = (layers: Keys['layers']): KeyHint[] => {
      const byWords = new Map<string, string[]>();
      const entries = layers.flatMap((layer) => [...layer].sort(([a], [b]) => rank(a) - rank(b)));
      for (const [name, { words }] of entries) {
        if (taken.has(name)) continue;
        taken.add(name);
        byWords.set(words, [...(byWords.get(words) ?? []), keyLabel(name)]);
      }
      return [...byWords].map(([words, keys]) => ({ keys, words }));
    };
    const [everywhere, ...pages] = this.layers;
    // A page may take a key over: what it does there is said, and not what it does elsewhere.
    const here = hintsOf(pages.reverse());
    this.hints.set({ everywhere: everywhere ? hintsOf([everywhere]) : [], here });
  }
}

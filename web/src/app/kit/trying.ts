import { signal } from '@angular/core';
import type { AccessShift, OutcomeLine } from '@key-cellar/contract';
import type { Observable } from 'rxjs';
import { Doing } from './doing';

/** What an act on access says, tried or done: whose access changes, and of many what came of each. */
interface Said {
  readonly access: AccessShift | null;
  readonly results?: readonly OutcomeLine[];
}

/** An act that is tried before it is done: why it is done, and what was seen of it, for as long as that holds. */
export class Trying<S extends Said = Said> {
  readonly reason = signal('');
  readonly seen = signal<S | null>(null);
  readonly doing = new Doing();

  /** Anew, where nothing was seen yet. */
  begin(reason = ''): void {
    this.reason.set(reason);
    this.doing.problem.set(null);
    this.forget();
  }

  /** What was seen does not hold any more. */
  forget(): void {
    this.seen.set(null);
  }

  /** Tries it; does it once that was seen, or where there is nothing to be seen `first`. */
  send(
    call: (how: { readonly dryRun: boolean; readonly reason: string }) => Observable<S>,
    done: (said: S) => void,
    { first = true }: { readonly first?: boolean } = {},
  ): void {
    const dryRun = first && this.seen() === null;
    this.doing.run(call({ dryRun, reason: this.reason().trim() }), (said) => (dryRun ? this.seen.set(said) : done(said)));
  }
}

import { computed, inject, Injectable, signal } from '@angular/core';
import { identity, type Me } from '@key-cellar/contract';
import type { Right } from '@key-cellar/core/access';
import { catchError, map, of, tap, type Observable } from 'rxjs';
import { Api, toProblem } from '../kit/api';
import { OwnLanguage } from '../kit/ownLanguage';

/** Who is signed in. Pages read it; whoever changes what needs a person calls {@link refresh}. */
@Injectable({ providedIn: 'root' })
export class Session {
  private readonly api = inject(Api);
  private readonly language = inject(OwnLanguage);
  private readonly who = signal<Me | null>(null);
  readonly me = this.who.asReadonly();
  readonly today = computed(() => this.who()?.today ?? '');

  /** Whether the person has a right anywhere; the server decides on each place. */
  may(right: Right): boolean {
    return this.who()?.rights.includes(right) ?? false;
  }

  ensure(): Observable<Me | null> {
    return this.who() ? of(this.who()) : this.fetch();
  }

  refresh(): void {
    this.fetch().subscribe();
  }

  forget(): void {
    this.who.set(null);
  }

  private fetch(): Observable<Me | null> {
    return this.api.call(identity.me).pipe(
      map((me): Me | null => me),
      // Only the server's word that nobody is signed in ends a session here; a failure keeps what was known.
      catchError((error: unknown) => of(toProblem(error).status === 401 ? null : this.who())),
      tap((me) => {
        this.who.set(me);
        if (me) this.language.follow(me.language);
      }),
    );
  }
}

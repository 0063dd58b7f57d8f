import { inject, Injectable } from '@angular/core';
import { toObservable, toSignal } from '@angular/core/rxjs-interop';
import { reports, type Needs as Counts } from '@key-cellar/contract';
import { catchError, EMPTY, of, switchMap } from 'rxjs';
import { Api } from '../kit/api';
import { Session } from './session';

const none: Counts = { receiving: 0, holds: 0, docket: 0, today: 0 };

/** How much needs the person who is signed in, by area; asked anew whenever the session is. */
@Injectable({ providedIn: 'root' })
export class Needs {
  private readonly api = inject(Api);
  /** What was known stays while a fresh count is on its way, or when it fails. */
  readonly counts = toSignal(
    toObservable(inject(Session).me).pipe(switchMap((me) => (me ? this.api.call(reports.needs).pipe(catchError(() => EMPTY)) : of(none)))),
    { initialValue: none },
  );
}

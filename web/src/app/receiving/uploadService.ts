import { HttpClient, HttpEventType, HttpHeaders } from '@angular/common/http';
import { inject, Injectable } from '@angular/core';
import { catchError, filter, map, throwError, type Observable } from 'rxjs';
import { ApiProblem, toProblem } from '../kit/api';

export type UploadState =
  { readonly kind: 'sending'; readonly sent: number; readonly size: number } | { readonly kind: 'done'; readonly arrivalId: string };

/** Sends files as they are, streamed by the browser; unsubscribing cancels, the same key makes a retry harmless. */
@Injectable({ providedIn: 'root' })
export class UploadService {
  private readonly http = inject(HttpClient);

  send(file: File, given: { placeId?: string | null; source?: string; key?: string; name?: string }): Observable<UploadState> {
    const query = new URLSearchParams({ name: given.name ?? file.name, source: given.source ?? 'upload' });
    if (given.placeId) query.set('place', given.placeId);
    return this.http
      .post<{ id: string }>(`/api/uploads?${query.toString()}`, file, {
        headers: new HttpHeaders({ 'content-type': 'application/octet-stream', 'idempotency-key': given.key ?? crypto.randomUUID() }),
        reportProgress: true,
        observe: 'events',
      })
      .pipe(
        filter((event) => event.type === HttpEventType.UploadProgress || event.type === HttpEventType.Response),
        map((event): UploadState =>
          event.type === HttpEventType.Response
            ? { kind: 'done', arrivalId: event.body!.id }
            : { kind: 'sending', sent: event.loaded, size: event.total ?? file.size },
        ),
        catchError((error: unknown) => throwError(() => new ApiProblem(toProblem(error)))),
      );
  }
}

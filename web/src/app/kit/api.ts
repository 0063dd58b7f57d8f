import { HttpClient, HttpErrorResponse, HttpEventType, type HttpDownloadProgressEvent } from '@angular/common/http';
import { inject, Injectable } from '@angular/core';
import { Router } from '@angular/router';
import type { BodyOf, Endpoint, ParamsOf, Problem, QueryOf, ResponseOf } from '@key-cellar/contract';
import { catchError, concatMap, map, type Observable, scan, throwError } from 'rxjs';

/** An answer that was not the one asked for; `problem.detail` is a sentence for the person. */
export class ApiProblem extends Error {
  constructor(readonly problem: Problem) {
    super(problem.detail);
  }
}

const unreachable: Problem = {
  type: 'urn:key-cellar:problem:unreachable',
  title: 'No answer',
  status: 0,
  detail: $localize`The server does not answer. What you typed is still here; try again in a moment.`,
};

export function toProblem(error: unknown): Problem {
  if (error instanceof ApiProblem) return error.problem;
  if (error instanceof HttpErrorResponse) {
    const body = error.error as Partial<Problem> | null;
    if (body && typeof body.detail === 'string') return body as Problem;
    if (error.status === 0 || error.status >= 502) return unreachable;
  }
  return { ...unreachable, title: $localize`Something went wrong`, detail: $localize`Something went wrong. Load the page again.` };
}

type Given<E extends Endpoint> = {
  params?: ParamsOf<E>;
  query?: Partial<QueryOf<E>>;
  body?: BodyOf<E> extends infer B ? Partial<B> | B : never;
};

/** Calls endpoints of the contract. The only place that speaks HTTP, apart from uploads. */
@Injectable({ providedIn: 'root' })
export class Api {
  private readonly http = inject(HttpClient);
  private readonly router = inject(Router);

  call<E extends Endpoint>(endpoint: E, given: Given<E> = {}): Observable<ResponseOf<E>> {
    const params = (given.params ?? {}) as Record<string, string>;
    const url = `/api${endpoint.path.replace(/\{(\w+)\}/g, (_, name: string) => encodeURIComponent(params[name] ?? ''))}`;
    const query: Record<string, string> = {};
    for (const [key, value] of Object.entries(given.query ?? {})) {
      if (value !== undefined && value !== null && value !== '') query[key] = String(value);
    }
    return this.http
      .request<ResponseOf<E>>(endpoint.method, url, {
        params: query,
        ...(endpoint.method === 'get' ? {} : { body: given.body ?? {} }),
      })
      .pipe(catchError((error: unknown) => this.fail(error)));
  }

  /**
   * Calls an endpoint that answers in lines of JSON, and gives each line as it comes. Leaving the observable ends the
   * request, and with it the work on the server.
   */
  lines<L extends object>(endpoint: Endpoint, body: object): Observable<L> {
    return this.http
      .request(endpoint.method, `/api${endpoint.path}`, { body, observe: 'events', reportProgress: true, responseType: 'text' })
      .pipe(
        scan(
          (read, event) => {
            const text =
              event.type === HttpEventType.DownloadProgress
                ? ((event as HttpDownloadProgressEvent).partialText ?? '')
                : event.type === HttpEventType.Response
                  ? `${event.body ?? ''}\n`
                  : '';
            // Only what ends with a line break is whole.
            const until = text.lastIndexOf('\n') + 1;
            if (until <= read.until) return { until: read.until, fresh: [] };
            return { until, fresh: text.slice(read.until, until).split('\n').filter(Boolean) };
          },
          { until: 0, fresh: [] as string[] },
        ),
        concatMap(({ fresh }) => fresh),
        map((line) => JSON.parse(line) as L),
        catchError((error: unknown) => this.fail(error)),
      );
  }

  /** Text of a file for preview. */
  text(url: string): Observable<string> {
    return this.http.get(url, { responseType: 'text' }).pipe(catchError((error: unknown) => this.fail(error)));
  }

  private fail(error: unknown): Observable<never> {
    const problem = toProblem(error);
    // Whoever is asked for a code, or visits by a pass, is told so where they are.
    if (problem.status === 401 && problem.type.endsWith('not-signed-in') && !this.router.url.startsWith('/sign-in')) {
      void this.router.navigate(['/sign-in'], { queryParams: { back: this.router.url } });
    }
    return throwError(() => new ApiProblem(problem));
  }
}

import { inject, Injectable } from '@angular/core';
import { records, type ListedRecord, type RecordFilter, type SortColumn } from '@key-cellar/contract';
import type { FactValue } from '@key-cellar/core/records';
import { shareReplay, startWith, Subject, switchMap, type Observable } from 'rxjs';
import { Api } from '../kit/api';

export const pageSize = 100;

export interface ListState {
  readonly filter: RecordFilter;
  readonly sort: SortColumn;
  readonly descending: boolean;
  /** Codes of facts that are told of each record, with commas between. */
  readonly facts?: string;
}

@Injectable({ providedIn: 'root' })
export class RecordsService {
  private readonly api = inject(Api);
  private readonly again = new Subject<void>();
  readonly types$ = this.again.pipe(
    startWith(undefined),
    switchMap(() => this.api.call(records.types)),
    shareReplay({ bufferSize: 1, refCount: false }),
  );

  /** Record types have changed: whoever shows them gets the new ones. */
  typesChanged(): void {
    this.again.next();
  }

  page(state: ListState, given: { after?: string | undefined; skip: number }) {
    return this.api.call(records.list, {
      query: {
        ...state.filter,
        sort: state.sort,
        descending: state.descending,
        facts: state.facts || undefined,
        limit: pageSize,
        ...given,
      },
    });
  }
  count(filter: RecordFilter) {
    return this.api.call(records.count, { query: filter });
  }
  ids(filter: RecordFilter) {
    return this.api.call(records.ids, { query: filter });
  }
  dossier(id: string) {
    return this.api.call(records.dossier, { params: { id } });
  }
  declare(ids: readonly string[]) {
    return this.api.call(records.declare, { body: { ids: [...ids] } });
  }
  revoke(ids: readonly string[], reason: string) {
    return this.api.call(records.revoke, { body: { ids: [...ids], reason } });
  }
  editFacts(id: string, body: { revision: number; title: string; createdOn: string; facts: Record<string, FactValue> }) {
    return this.api.call(records.editFacts, { params: { id }, body });
  }
  addVersion(id: string, arrivalId: string, note: string) {
    return this.api.call(records.addVersion, { params: { id }, body: { arrivalId, note } });
  }
}

/** Further on, the server knows a nearer row to begin at than we do. In pages. */
const mostSkipped = 10;

/**
 * Pages of a list as they are wanted: a page that follows a fetched one continues from its end, one that is near
 * skips from the nearest fetched page before it, and any other is named by where it begins.
 */
export class PageCache {
  private readonly pages = new Map<number, readonly ListedRecord[]>();
  private readonly ends = new Map<number, string>();
  private readonly asked = new Set<number>();

  constructor(
    private readonly fetch: (given: {
      after?: string | undefined;
      skip: number;
    }) => Observable<{ records: ListedRecord[]; next: string | null }>,
    private readonly changed: () => void,
    private readonly failed: (error: unknown) => void,
  ) {}

  row(index: number): ListedRecord | undefined {
    return this.pages.get(Math.floor(index / pageSize))?.[index % pageSize];
  }

  /** Fetches the pages that hold rows [first, last). */
  want(first: number, last: number): void {
    for (let page = Math.floor(first / pageSize); page * pageSize < last; page++) {
      if (this.asked.has(page)) continue;
      this.asked.add(page);
      let known = page - 1;
      while (known >= 0 && !this.ends.has(known)) known -= 1;
      const skipped = page - known - 1;
      this.fetch(skipped > mostSkipped ? { skip: page * pageSize } : { after: this.ends.get(known), skip: skipped * pageSize }).subscribe({
        next: ({ records: found, next }) => {
          this.pages.set(page, found);
          if (next) this.ends.set(page, next);
          this.changed();
        },
        error: (error: unknown) => {
          this.asked.delete(page);
          this.failed(error);
        },
      });
    }
  }
}

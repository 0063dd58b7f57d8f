import { ChangeDetectionStrategy, Component, computed, effect, inject, input, model, output, signal, untracked } from '@angular/core';
import { RouterLink } from '@angular/router';
import { tags, type AccessShift, type OutcomeLine, type TagRef } from '@key-cellar/contract';
import { EMPTY, type Observable } from 'rxjs';
import { Api } from '../kit/api';
import { Choices } from '../kit/choices';
import { loaded } from '../kit/loaded';
import { ResultList } from '../kit/resultList';
import { Sheet } from '../kit/sheet';
import { TryFirst } from '../kit/tryFirst';
import { Trying } from '../kit/trying';

interface Effect {
  readonly access: AccessShift | null;
  /** Of records: what came of each. */
  readonly results?: readonly OutcomeLine[];
}

/** Puts access tags on a place or on records, or takes them off. It is tried first, and says whose access changes. */
@Component({
  selector: 'kc-tags-sheet',
  imports: [Choices, ResultList, RouterLink, Sheet, TryFirst],
  template: `
    <kc-sheet [(open)]="open" [heading]="heading()">
      @if (results(); as lines) {
        <kc-result-list [lines]="lines" />
      } @else {
        <form class="form" novalidate (submit)="$event.preventDefault(); send()">
          <p class="sheet-note">
            @if (place()) {
              <ng-container i18n>Whoever was given access by a tag has it here, and on all that lies in it.</ng-container>
            } @else {
              <ng-container i18n>Whoever was given access by a tag has it on what carries the tag.</ng-container>
            }
          </p>
          @if (known.value() && options().length === 0) {
            <p>
              <ng-container i18n>There are no access tags yet.</ng-container>&ngsp;<a routerLink="/access/tags" i18n
                >Make one under Access, Tags</a
              >
            </p>
          } @else if (several()) {
            <kc-choices
              field="tags-put"
              label="Put on"
              i18n-label
              [options]="inUse()"
              [value]="put()"
              (valueChange)="put.set($event); trying.forget()"
            />
            <kc-choices
              field="tags-take"
              label="Take off"
              i18n-label
              [options]="options()"
              [value]="take()"
              (valueChange)="take.set($event); trying.forget()"
            />
          } @else {
            <kc-choices
              field="tags-carried"
              label="Access tags"
              i18n-label
              [options]="inUse()"
              [value]="carried()"
              (valueChange)="carried.set($event); trying.forget()"
            />
          }
          <kc-try-first [what]="trying" reasonField="tags-reason" [ready]="changes()" [label]="labels.save" />
        </form>
      }
    </kc-sheet>
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class TagsSheet {
  protected readonly labels = { save: $localize`Save` };
  private readonly api = inject(Api);
  /** Either a place, in the revision that is shown, or records. */
  readonly place = input<{ readonly id: string; readonly revision: number } | null>(null);
  readonly recordIds = input<readonly string[]>([]);
  readonly name = input('');
  /** What it carries now: of a place, or of one record; null where that is not known, so that tags are put on and taken off. */
  readonly now = input<readonly TagRef[] | null>(null);
  /** What is to be taken off, to begin with. */
  readonly taken = input<readonly string[]>([]);
  readonly open = model(false);
  readonly done = output();
  protected readonly known = loaded(() => (this.open() ? this.api.call(tags.list) : EMPTY));
  protected readonly options = computed(() => (this.known.value()?.tags ?? []).map((t) => ({ value: t.id, name: t.name })));
  /** Those that can be put on, and what is carried. */
  protected readonly inUse = computed(() => {
    const carried = new Set((this.now() ?? []).map((t) => t.id));
    return (this.known.value()?.tags ?? []).filter((t) => t.active || carried.has(t.id)).map((t) => ({ value: t.id, name: t.name }));
  });
  protected readonly several = computed(() => this.now() === null);
  protected readonly heading = computed(() => {
    const n = this.chosen().length;
    if (this.name()) return $localize`Access tags of ${this.name()}:name:`;
    return n === 1 ? $localize`Access tags of one record` : $localize`Access tags of ${n}:n: records`;
  });
  /** The records that the sheet was opened for; marks may be gone by the time its results are read. */
  private readonly chosen = signal<readonly string[]>([]);
  protected readonly carried = signal<readonly string[]>([]);
  protected readonly put = signal<readonly string[]>([]);
  protected readonly take = signal<readonly string[]>([]);
  protected readonly results = signal<readonly OutcomeLine[] | null>(null);
  protected readonly trying = new Trying<Effect>();
  /** What is put on and taken off. */
  private readonly change = computed(() => {
    const now = this.now();
    if (now === null) return { put: [...this.put()], take: [...this.take()] };
    const [had, has] = [now.map((t) => t.id), this.carried()];
    return { put: has.filter((id) => !had.includes(id)), take: had.filter((id) => !has.includes(id)) };
  });
  protected readonly changes = computed(() => this.change().put.length + this.change().take.length > 0);

  constructor() {
    effect(() => {
      if (!this.open()) return;
      untracked(() => {
        this.chosen.set(this.recordIds());
        this.carried.set((this.now() ?? []).map((t) => t.id));
        this.put.set([]);
        this.take.set(this.taken());
        this.trying.begin();
        this.results.set(null);
      });
    });
  }

  private call(how: { readonly dryRun: boolean; readonly reason: string }): Observable<Effect> {
    const place = this.place();
    if (place) {
      const body = { ...how, tagIds: [...this.carried()], revision: place.revision };
      return this.api.call(tags.ofPlace, { params: { id: place.id }, body });
    }
    return this.api.call(tags.ofRecords, { body: { ...how, recordIds: [...this.chosen()], ...this.change() } });
  }

  protected send(): void {
    this.trying.send(
      (how) => this.call(how),
      (said) => {
        if (said.results && this.chosen().length > 1) this.results.set(said.results);
        else this.open.set(false);
        this.done.emit();
      },
    );
  }
}

import { ChangeDetectionStrategy, Component, computed, effect, inject, input, model, output, signal, untracked } from '@angular/core';
import { RouterLink } from '@angular/router';
import { tags, type AccessShift, type OutcomeLine, type TagRef } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { EMPTY, type Observable } from 'rxjs';
import { AccessShiftWords } from '../kit/accessShift';
import { Api } from '../kit/api';
import { Choices } from '../kit/choices';
import { Doing } from '../kit/doing';
import { loaded } from '../kit/loaded';
import { LongTextField } from '../kit/longTextField';
import { ProblemNotice } from '../kit/notice';
import { ResultList } from '../kit/resultList';
import { Sheet } from '../kit/sheet';

interface Effect {
  readonly access: AccessShift | null;
  /** Of records: what came of each. */
  readonly results?: readonly OutcomeLine[];
}

/** Puts access tags on a place or on records, or takes them off. It is tried first, and says whose access changes. */
@Component({
  selector: 'kc-tags-sheet',
  imports: [AccessShiftWords, Button, Choices, LongTextField, ProblemNotice, ResultList, RouterLink, Sheet],
  template: `
    <kc-sheet [(open)]="open" [heading]="heading()">
      @if (results(); as lines) {
        <kc-result-list [lines]="lines" />
      } @else {
        <form class="form" novalidate (submit)="$event.preventDefault(); send(effect() === null)">
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
              (valueChange)="put.set($event); effect.set(null)"
            />
            <kc-choices
              field="tags-take"
              label="Take off"
              i18n-label
              [options]="options()"
              [value]="take()"
              (valueChange)="take.set($event); effect.set(null)"
            />
          } @else {
            <kc-choices
              field="tags-carried"
              label="Access tags"
              i18n-label
              [options]="inUse()"
              [value]="carried()"
              (valueChange)="carried.set($event); effect.set(null)"
            />
          }
          <kc-long-text-field
            field="tags-reason"
            label="Reason"
            i18n-label
            [needed]="true"
            [rows]="2"
            [maxlength]="2000"
            [value]="reason()"
            (valueChange)="reason.set($event)"
          />
          @if (effect(); as e) {
            @if (refused(e).length; as n) {
              <p class="madder" i18n>
                {n, plural, =1 {One record is left as it is} other {{{ n }} records are left as they are}}: {{ refused(e)[0]!.why }}
              </p>
            }
            <kc-access-shift [shift]="e.access" />
          }
          <kc-problem [problem]="doing.problem()" />
          <p-button type="submit" [disabled]="doing.busy() || !ready()" [label]="effect() === null ? labels.look : labels.save" />
        </form>
      }
    </kc-sheet>
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class TagsSheet {
  protected readonly labels = { look: $localize`See the effect`, save: $localize`Save` };
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
  protected readonly reason = signal('');
  protected readonly effect = signal<Effect | null>(null);
  protected readonly results = signal<readonly OutcomeLine[] | null>(null);
  protected readonly doing = new Doing();
  /** What is put on and taken off. */
  private readonly change = computed(() => {
    const now = this.now();
    if (now === null) return { put: [...this.put()], take: [...this.take()] };
    const [had, has] = [now.map((t) => t.id), this.carried()];
    return { put: has.filter((id) => !had.includes(id)), take: had.filter((id) => !has.includes(id)) };
  });
  protected readonly ready = computed(() => {
    const { put, take } = this.change();
    return this.reason().trim().length >= 3 && put.length + take.length > 0;
  });

  constructor() {
    effect(() => {
      if (!this.open()) return;
      untracked(() => {
        this.chosen.set(this.recordIds());
        this.carried.set((this.now() ?? []).map((t) => t.id));
        this.put.set([]);
        this.take.set(this.taken());
        this.reason.set('');
        this.effect.set(null);
        this.results.set(null);
        this.doing.problem.set(null);
      });
    });
  }

  /** Records that would be left as they are. */
  protected refused({ results }: Effect): readonly OutcomeLine[] {
    return (results ?? []).filter((r) => r.outcome === 'refused');
  }

  private call(dryRun: boolean): Observable<Effect> {
    const [place, reason] = [this.place(), this.reason().trim()];
    if (place) {
      const body = { tagIds: [...this.carried()], revision: place.revision, reason, dryRun };
      return this.api.call(tags.ofPlace, { params: { id: place.id }, body });
    }
    return this.api.call(tags.ofRecords, { body: { recordIds: [...this.chosen()], ...this.change(), reason, dryRun } });
  }

  protected send(dryRun: boolean): void {
    this.doing.run(this.call(dryRun), (said) => {
      if (dryRun) {
        this.effect.set(said);
        return;
      }
      if (said.results && this.chosen().length > 1) this.results.set(said.results);
      else this.open.set(false);
      this.done.emit();
    });
  }
}

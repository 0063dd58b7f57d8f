import { ChangeDetectionStrategy, Component, computed, effect, inject, input, model, output, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { plan, type PlacePage as Page, type PlanEffect, type Problem, type ScheduleChange } from '@key-cellar/contract';
import { kindsInside } from '@key-cellar/core/plan';
import { Button } from 'primeng/button';
import { EMPTY, type Observable } from 'rxjs';
import { Session } from '../identity/index';
import { DateField } from '../kit/dateField';
import { Choice } from '../kit/choice';
import { Api, toProblem } from '../kit/api';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { Sheet } from '../kit/sheet';
import { CountPipe } from '../kit/words';
import { TextField } from '../kit/textField';
import { LongTextField } from '../kit/longTextField';
import { EffectView } from '../schedule/index';

export type PlaceTask = 'edit' | 'move' | 'merge' | 'reopen' | 'retire';

const names: Record<PlaceTask, string> = {
  edit: $localize`Describe and renumber`,
  move: $localize`Move`,
  merge: $localize`Merge`,
  reopen: $localize`Open again`,
  retire: $localize`Retire`,
};

/** Changes of one place of the plan, each with what it does shown first. */
@Component({
  selector: 'kc-place-changes',
  imports: [LongTextField, TextField, DateField, Button, Choice, CountPipe, EffectView, FormsModule, ProblemNotice, Sheet],
  templateUrl: './placeChanges.html',
  styleUrl: './placeChanges.css',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class PlaceChanges {
  private readonly api = inject(Api);
  protected readonly session = inject(Session);
  readonly place = input.required<Page>();
  readonly task = model.required<PlaceTask | null>();
  /** Where it is to go, when that was chosen before the sheet opened. */
  readonly target = input<string | null>(null);
  readonly changed = output<string>();

  private readonly places = loaded(() =>
    this.task() === 'move' || this.task() === 'merge' ? this.api.call(plan.outline, { query: { folders: true } }) : EMPTY,
  );
  protected readonly code = signal('');
  protected readonly title = signal('');
  protected readonly note = signal('');
  protected readonly notHere = signal('');
  protected readonly message = signal('');
  protected readonly openedOn = signal('');
  protected readonly reason = signal('');
  protected readonly chosen = signal<string | null>(null);
  protected readonly effect = signal<PlanEffect | null>(null);
  protected readonly busy = signal(false);
  protected readonly problem = signal<Problem | null>(null);
  /** The code was another place’s before, and is given all the same. */
  protected readonly again = signal(false);
  protected readonly givenBefore = computed(() => this.problem()?.type.endsWith(':code-given-before') ?? false);

  protected readonly open = computed(() => this.task() !== null);
  protected readonly name = computed(() => {
    const task = this.task();
    if (task === null) return '';
    return task === 'reopen' && this.place().shut === null ? $localize`Cancel the closing` : names[task];
  });
  protected readonly heading = computed(() => (this.task() ? `${this.name()}: ${this.place().code}` : ''));
  protected readonly width = computed(() => (this.task() === 'edit' || this.task() === 'retire' ? 480 : 640));
  protected readonly targets = computed(() => {
    const { id, kind, parentId } = this.place();
    const all = this.places.value()?.places ?? [];
    const inside = new Set([id]);
    for (let grew = true; grew;) {
      grew = false;
      for (const p of all) {
        if (p.parentId && inside.has(p.parentId) && !inside.has(p.id)) {
          inside.add(p.id);
          grew = true;
        }
      }
    }
    const codeOf = new Map(all.map((p) => [p.id, p.code]));
    return all
      .filter((p) => p.discover && p.shut === null && !inside.has(p.id))
      .filter((p) => (this.task() === 'merge' ? p.kind === kind : p.id !== parentId && kindsInside(p.kind).some((k) => k === kind)))
      .map((p) => ({ value: p.id, name: `${p.kind === 'folder' ? `${codeOf.get(p.parentId!) ?? ''}/` : ''}${p.code} ${p.title}` }));
  });
  /** What the change does to dates; keepers are told. */
  protected readonly whatIf = computed<ScheduleChange | null>(() => {
    const placeId = this.place().id;
    if (!this.session.may('dispose')) return null;
    switch (this.task()) {
      case 'move':
        return this.chosen() && this.effect() ? { kind: 'movePlace', placeId, parentId: this.chosen()! } : null;
      case 'merge':
        return this.chosen() && this.effect() ? { kind: 'mergePlace', placeId, intoId: this.chosen()! } : null;
      case 'reopen':
        return { kind: 'closeFolder', placeId, on: null };
      default:
        return null;
    }
  });
  protected readonly ready = computed(() => {
    switch (this.task()) {
      case 'edit':
        return this.code().trim() !== '' && this.title().trim() !== '';
      case 'move':
      case 'merge': {
        const effect = this.effect();
        return effect !== null && (effect.declared === 0 || this.reason().trim().length > 2);
      }
      case 'reopen':
      case 'retire':
        return this.reason().trim().length > 2;
      case null:
        return false;
    }
  });

  constructor() {
    effect(() => {
      const task = this.task();
      if (task === null) return;
      untracked(() => {
        const p = this.place();
        this.code.set(p.code);
        this.title.set(p.title);
        this.note.set(p.note);
        this.notHere.set(p.notHere);
        this.message.set(p.message);
        this.openedOn.set(p.openedOn);
        this.reason.set('');
        this.effect.set(null);
        this.problem.set(null);
        this.again.set(false);
        this.chosen.set(null);
        const target = this.target();
        if (target && task === 'move') this.choose(target);
      });
    });
  }

  protected close(open: boolean): void {
    if (!open) this.task.set(null);
  }

  private moveOrMerge(dryRun: boolean): Observable<PlanEffect> {
    const { id, revision } = this.place();
    const params = { id };
    const reason = this.reason().trim();
    const body = { revision, dryRun, ...(reason && !dryRun ? { reason } : {}) };
    return this.task() === 'merge'
      ? this.api.call(plan.mergePlace, { params, body: { ...body, intoId: this.chosen()! } })
      : this.api.call(plan.movePlace, { params, body: { ...body, parentId: this.chosen()! } });
  }

  protected giveAgain(): void {
    this.again.set(true);
    this.carryOut();
  }

  /** Chooses where it goes, and asks what that does. */
  protected choose(id: string): void {
    this.chosen.set(id);
    this.effect.set(null);
    this.problem.set(null);
    this.moveOrMerge(true).subscribe({
      next: (found) => id === this.chosen() && this.effect.set(found),
      error: (error: unknown) => id === this.chosen() && this.problem.set(toProblem(error)),
    });
  }

  protected carryOut(): void {
    const { id, revision } = this.place();
    const params = { id };
    const body = {
      code: this.code(),
      title: this.title(),
      note: this.note(),
      notHere: this.notHere(),
      message: this.message(),
      again: this.again(),
      ...(this.openedOn() ? { openedOn: this.openedOn() } : {}),
    };
    const calls: Record<PlaceTask, () => Observable<unknown>> = {
      edit: () => this.api.call(plan.editPlace, { params, body: { revision, ...body } }),
      move: () => this.moveOrMerge(false),
      merge: () => this.moveOrMerge(false),
      reopen: () => this.api.call(plan.reopenFolder, { params, body: { reason: this.reason() } }),
      retire: () => this.api.call(plan.retirePlace, { params, body: { reason: this.reason() } }),
    };
    this.busy.set(true);
    this.problem.set(null);
    calls[this.task()!]().subscribe({
      next: (result) => {
        this.busy.set(false);
        const recomputed = (result as Partial<PlanEffect>).recomputed;
        this.task.set(null);
        this.changed.emit(recomputed === undefined ? '' : $localize`${recomputed}:n: records were recalculated.`);
      },
      error: (error: unknown) => {
        this.busy.set(false);
        this.problem.set(toProblem(error));
      },
    });
  }
}

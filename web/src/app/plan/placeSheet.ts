import { ChangeDetectionStrategy, Component, computed, effect, inject, input, model, output, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { plan, type PlaceLine, type Problem } from '@key-cellar/contract';
import { kindsInside, type PlaceKind } from '@key-cellar/core/plan';
import { Button } from 'primeng/button';
import { EMPTY } from 'rxjs';
import { Session } from '../identity/index';
import { DateField } from '../kit/dateField';
import { Choice } from '../kit/choice';
import { Api, toProblem } from '../kit/api';
import { loaded } from '../kit/loaded';
import { placeKindNames } from '../kit/names';
import { ProblemNotice } from '../kit/notice';
import { Sheet } from '../kit/sheet';
import { TextField } from '../kit/textField';
import { LongTextField } from '../kit/longTextField';

/** Makes a place under another one. */
@Component({
  selector: 'kc-place-sheet',
  imports: [LongTextField, TextField, DateField, Button, FormsModule, ProblemNotice, Choice, Sheet],
  template: `
    <kc-sheet [(open)]="open" heading="New place" i18n-heading>
      <form class="form" (ngSubmit)="make()">
        <kc-choice
          field="place-parent"
          label="Inside"
          i18n-label
          [options]="parents()"
          [value]="parentId()"
          (valueChange)="choose($event)"
        />
        <kc-choice field="place-kind" label="Kind" i18n-label [options]="kinds()" [value]="kind()" (valueChange)="kind.set($event)" />
        <kc-text-field
          field="place-code"
          label="Code"
          i18n-label
          hint="Such as PIL-03. PIL-{{ '{' }}nn{{ '}' }} takes the next number."
          i18n-hint
          [needed]="true"
          [maxlength]="40"
          [value]="code()"
          (valueChange)="code.set($event)"
        />
        <kc-text-field
          field="place-title"
          label="Title"
          i18n-label
          [needed]="true"
          [maxlength]="300"
          [value]="title()"
          (valueChange)="title.set($event)"
        />
        <kc-long-text-field
          field="place-note"
          label="What belongs here, what does not"
          i18n-label
          [rows]="3"
          [value]="note()"
          (valueChange)="note.set($event)"
        />
        <kc-date-field
          field="place-opened"
          label="Opened on"
          i18n-label
          hint="Today, unless it is older than its place here."
          i18n-hint
          [value]="openedOn()"
          (valueChange)="openedOn.set($event)"
        />
        <kc-problem [problem]="problem()" />
        @if (givenBefore()) {
          <p-button
            severity="secondary"
            [outlined]="true"
            [disabled]="busy()"
            label="Give it all the same"
            i18n-label
            (onClick)="make(true)"
          />
        }
        <p-button
          type="submit"
          [disabled]="busy() || !parentId() || !kind()"
          [label]="kind() ? labels.makeKind(names[kind()!]) : labels.make"
        />
      </form>
    </kc-sheet>
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class PlaceSheet {
  protected readonly labels = {
    makeKind: (kind: string) => $localize`Create the ${kind}:kind:`,
    make: $localize`Create`,
  };
  private readonly api = inject(Api);
  protected readonly session = inject(Session);
  readonly open = model.required<boolean>();
  readonly parent = input.required<Pick<PlaceLine, 'id' | 'kind'> | null>();
  readonly made = output<string>();

  protected readonly names = placeKindNames;
  private readonly places = loaded(() => (this.open() ? this.api.call(plan.outline, { query: { folders: true } }) : EMPTY));
  protected readonly parentId = signal<string | null>(null);
  protected readonly kind = signal<Exclude<PlaceKind, 'repository'> | null>(null);
  protected readonly code = signal('');
  protected readonly title = signal('');
  protected readonly note = signal('');
  protected readonly openedOn = signal('');
  protected readonly busy = signal(false);
  protected readonly problem = signal<Problem | null>(null);
  /** The code was another place’s before: whoever was told so may give it all the same. */
  protected readonly givenBefore = computed(() => this.problem()?.type.endsWith(':code-given-before') ?? false);
  protected readonly parents = computed(() =>
    (this.places.value()?.places ?? [])
      .filter((p) => p.discover && p.shut === null)
      .map((p) => ({ value: p.id, kind: p.kind, name: `${p.code} ${p.title}` })),
  );
  protected readonly kinds = computed(() => {
    const parent = this.parents().find((p) => p.value === this.parentId()) ?? this.parent();
    return parent ? kindsInside(parent.kind).map((kind) => ({ value: kind, name: placeKindNames[kind] })) : [];
  });

  constructor() {
    effect(() => {
      if (!this.open()) return;
      // Only opening starts anew: what is chosen meanwhile must not.
      untracked(() => {
        this.problem.set(null);
        this.code.set('');
        this.title.set('');
        this.note.set('');
        this.choose(this.parent()?.id ?? null);
      });
    });
  }

  protected choose(parentId: string | null): void {
    this.parentId.set(parentId);
    const [first] = this.kinds();
    this.kind.set(first?.value ?? null);
  }

  protected make(again = false): void {
    this.busy.set(true);
    this.problem.set(null);
    this.api
      .call(plan.makePlace, {
        body: {
          parentId: this.parentId()!,
          kind: this.kind()!,
          code: this.code(),
          title: this.title(),
          note: this.note(),
          ...(this.openedOn() ? { openedOn: this.openedOn() } : {}),
          ...(again ? { again } : {}),
        },
      })
      .subscribe({
        next: ({ id }) => {
          this.busy.set(false);
          this.open.set(false);
          this.made.emit(id);
        },
        error: (error: unknown) => {
          this.busy.set(false);
          this.problem.set(toProblem(error));
        },
      });
  }
}

import { ChangeDetectionStrategy, Component, computed, effect, inject, input, model, output, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { people, type GroupLine, type PersonLine, type Problem } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import type { Observable } from 'rxjs';
import { Api, toProblem } from '../kit/api';
import { Choices } from '../kit/choices';
import { ProblemNotice } from '../kit/notice';
import { Sheet } from '../kit/sheet';
import { TextField } from '../kit/textField';

/** A group: its name and who is in it. */
@Component({
  selector: 'kc-group-sheet',
  imports: [Button, Choices, FormsModule, ProblemNotice, Sheet, TextField],
  template: `
    <kc-sheet [(open)]="open" [heading]="group()?.name ?? labels.add">
      <form class="form" (ngSubmit)="save()">
        <kc-text-field
          field="group-name"
          label="Name"
          i18n-label
          [needed]="true"
          [maxlength]="80"
          [wrong]="wrong()['/name']"
          [value]="name()"
          (valueChange)="name.set($event)"
        />
        @if (group()?.everyone) {
          <p class="quiet" i18n>Everybody is in it who can sign in: now, and whoever comes later.</p>
        } @else {
          <kc-choices
            field="group-members"
            label="Members"
            i18n-label
            [options]="options()"
            [value]="memberIds()"
            (valueChange)="memberIds.set($event)"
          />
        }
        @if (wrong()['/memberIds']; as why) {
          <p class="madder" role="alert">{{ why }}</p>
        }
        @if (group() && !group()!.everyone) {
          <label class="check">
            <input type="checkbox" name="active" [ngModel]="active()" (ngModelChange)="active.set($event)" />
            <span i18n>In use: its members have what it is given</span>
          </label>
        }
        <label class="check">
          <input type="checkbox" name="secondFactor" [ngModel]="secondFactor()" (ngModelChange)="secondFactor.set($event)" />
          <span i18n>Its members have to set up a second factor for signing in</span>
        </label>
        <kc-problem [problem]="problem()" />
        <p-button type="submit" [disabled]="busy() || !name().trim()" [label]="group() ? labels.save : labels.add" />
      </form>
    </kc-sheet>
  `,
  styles: `
    .check {
      display: flex;
      gap: 8px;
      align-items: center;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class GroupSheet {
  protected readonly labels = { add: $localize`Add a group`, save: $localize`Save` };
  private readonly api = inject(Api);
  readonly open = model.required<boolean>();
  /** Null: a new one. */
  readonly group = input.required<GroupLine | null>();
  readonly people = input.required<readonly PersonLine[]>();
  readonly groups = input.required<readonly GroupLine[]>();
  readonly changed = output();
  protected readonly name = signal('');
  protected readonly active = signal(true);
  protected readonly secondFactor = signal(false);
  protected readonly memberIds = signal<readonly string[]>([]);
  protected readonly busy = signal(false);
  protected readonly problem = signal<Problem | null>(null);
  protected readonly wrong = computed(() => Object.fromEntries((this.problem()?.fields ?? []).map((f) => [f.pointer, f.sentence])));
  protected readonly options = computed(() => [
    ...this.groups().flatMap((g) =>
      g.active && !g.everyone && g.id !== this.group()?.id ? [{ value: g.id, name: $localize`${g.name}:name: (group)` }] : [],
    ),
    ...this.people().flatMap((p) => (p.active ? [{ value: p.id, name: p.name }] : [])),
  ]);

  constructor() {
    effect(() => {
      if (!this.open()) return;
      const group = this.group();
      untracked(() => {
        this.name.set(group?.name ?? '');
        this.active.set(group?.active ?? true);
        this.secondFactor.set(group?.secondFactor ?? false);
        this.memberIds.set(group?.members.map((m) => m.id) ?? []);
        this.problem.set(null);
      });
    });
  }

  protected save(): void {
    const group = this.group();
    const body = { name: this.name().trim(), memberIds: [...this.memberIds()], secondFactor: this.secondFactor() };
    this.busy.set(true);
    this.problem.set(null);
    const call: Observable<unknown> = group
      ? this.api.call(people.changeGroup, { params: { id: group.id }, body: { ...body, active: this.active(), revision: group.revision } })
      : this.api.call(people.makeGroup, { body });
    call.subscribe({
      next: () => {
        this.busy.set(false);
        this.open.set(false);
        this.changed.emit();
      },
      error: (error: unknown) => {
        this.busy.set(false);
        this.problem.set(toProblem(error));
      },
    });
  }
}

import { ChangeDetectionStrategy, Component, computed, effect, inject, input, model, output, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { people, type GroupLine, type PersonLine } from '@key-cellar/contract';
import { Api } from '../kit/api';
import { Choices } from '../kit/choices';
import { Sheet } from '../kit/sheet';
import { TextField } from '../kit/textField';
import { TryFirst } from '../kit/tryFirst';
import { Trying } from '../kit/trying';

/** A group: its name and who is in it; whose access changes by that is seen first. */
@Component({
  selector: 'kc-group-sheet',
  imports: [Choices, FormsModule, Sheet, TextField, TryFirst],
  template: `
    <kc-sheet [(open)]="open" [heading]="group()?.name ?? labels.add">
      <form class="form" (ngSubmit)="save()">
        <kc-text-field
          field="group-name"
          label="Name"
          i18n-label
          [needed]="true"
          [maxlength]="80"
          [wrong]="trying.doing.wrong()['/name']"
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
            (valueChange)="memberIds.set($event); trying.forget()"
          />
        }
        @if (trying.doing.wrong()['/memberIds']; as why) {
          <p class="madder" role="alert">{{ why }}</p>
        }
        @if (group() && !group()!.everyone) {
          <label class="check">
            <input type="checkbox" name="active" [ngModel]="active()" (ngModelChange)="active.set($event); trying.forget()" />
            <span i18n>In use: its members have what it is given</span>
          </label>
        }
        <label class="check">
          <input type="checkbox" name="secondFactor" [ngModel]="secondFactor()" (ngModelChange)="secondFactor.set($event)" />
          <span i18n>Its members have to set up a second factor for signing in</span>
        </label>
        <kc-try-first
          [what]="trying"
          [ready]="name().trim() !== ''"
          [first]="touchesAccess()"
          [label]="group() === null ? labels.add : labels.save"
        />
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
  protected readonly trying = new Trying();
  /** Whether somebody may do more or less by what is said here. */
  protected readonly touchesAccess = computed(() => {
    const group = this.group();
    const sorted = (ids: readonly string[]): string => [...ids].sort().join();
    return group !== null && (this.active() !== group.active || sorted(this.memberIds()) !== sorted(group.members.map((m) => m.id)));
  });
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
        this.trying.begin();
      });
    });
  }

  protected save(): void {
    const group = this.group();
    const body = { name: this.name().trim(), memberIds: [...this.memberIds()], secondFactor: this.secondFactor() };
    const done = (): void => {
      this.open.set(false);
      this.changed.emit();
    };
    if (group === null) {
      this.trying.doing.run(this.api.call(people.makeGroup, { body }), done);
      return;
    }
    const change = { ...body, active: this.active(), revision: group.revision };
    this.trying.send(({ dryRun }) => this.api.call(people.changeGroup, { params: { id: group.id }, body: { ...change, dryRun } }), done, {
      first: this.touchesAccess(),
    });
  }
}

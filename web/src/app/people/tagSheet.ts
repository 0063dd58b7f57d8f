import { ChangeDetectionStrategy, Component, computed, effect, inject, input, model, output, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { tags, type AccessShift, type TagLine } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { AccessShiftWords } from '../kit/accessShift';
import { Api } from '../kit/api';
import { Doing } from '../kit/doing';
import { LongTextField } from '../kit/longTextField';
import { ProblemNotice } from '../kit/notice';
import { Sheet } from '../kit/sheet';
import { TextField } from '../kit/textField';

/** Makes an access tag, or changes one; a change is tried first, and says whose access changes. */
@Component({
  selector: 'kc-tag-sheet',
  imports: [AccessShiftWords, Button, FormsModule, LongTextField, ProblemNotice, Sheet, TextField],
  template: `
    <kc-sheet [(open)]="open" [heading]="tag()?.name ?? labels.make">
      <form class="form" (submit)="$event.preventDefault(); send()">
        <kc-text-field
          field="tag-name"
          label="Name"
          i18n-label
          [needed]="true"
          [maxlength]="80"
          [wrong]="doing.wrong()['/name']"
          [value]="name()"
          (valueChange)="name.set($event); shift.set(null)"
        />
        <kc-long-text-field
          field="tag-note"
          label="What it is for"
          i18n-label
          [rows]="2"
          [maxlength]="2000"
          [value]="note()"
          (valueChange)="note.set($event); shift.set(null)"
        />
        @if (tag()) {
          <label class="check">
            <input
              type="checkbox"
              [attr.name]="'active'"
              [ngModel]="active()"
              [ngModelOptions]="{ standalone: true }"
              (ngModelChange)="active.set($event); shift.set(null)"
            />
            <span i18n>In use: it gives access to what carries it</span>
          </label>
        }
        <kc-access-shift [shift]="shift()" />
        <kc-problem [problem]="doing.problem()" />
        <p-button type="submit" [disabled]="doing.busy() || name().trim() === ''" [label]="button()" />
      </form>
    </kc-sheet>
  `,
  styles: `
    .check {
      display: flex;
      gap: 8px;
      align-items: baseline;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class TagSheet {
  protected readonly labels = { make: $localize`Make a tag`, look: $localize`See the effect`, save: $localize`Save` };
  private readonly api = inject(Api);
  readonly open = model(false);
  /** Null: a new one. */
  readonly tag = input<TagLine | null>(null);
  /** Gives the id of what was made or changed. */
  readonly changed = output<string>();
  protected readonly name = signal('');
  protected readonly note = signal('');
  protected readonly active = signal(true);
  protected readonly shift = signal<AccessShift | null>(null);
  protected readonly doing = new Doing();
  protected readonly button = computed(() => {
    if (!this.tag()) return this.labels.make;
    return this.shift() === null ? this.labels.look : this.labels.save;
  });

  constructor() {
    effect(() => {
      if (!this.open()) return;
      const tag = this.tag();
      untracked(() => {
        this.name.set(tag?.name ?? '');
        this.note.set(tag?.note ?? '');
        this.active.set(tag?.active ?? true);
        this.shift.set(null);
        this.doing.problem.set(null);
      });
    });
  }

  protected send(): void {
    const [tag, dryRun] = [this.tag(), this.shift() === null];
    const body = { name: this.name().trim(), note: this.note().trim() };
    const done = (id: string): void => {
      this.open.set(false);
      this.changed.emit(id);
    };
    if (!tag) {
      this.doing.run(this.api.call(tags.make, { body }), ({ id }) => done(id));
      return;
    }
    const change = { params: { id: tag.id }, body: { ...body, active: this.active(), revision: tag.revision, dryRun } };
    this.doing.run(this.api.call(tags.change, change), ({ access }) => {
      if (dryRun) this.shift.set(access);
      else done(tag.id);
    });
  }
}

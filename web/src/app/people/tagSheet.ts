import { ChangeDetectionStrategy, Component, computed, effect, inject, input, model, output, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { tags, type TagLine } from '@key-cellar/contract';
import { Api } from '../kit/api';
import { LongTextField } from '../kit/longTextField';
import { Sheet } from '../kit/sheet';
import { TextField } from '../kit/textField';
import { TryFirst } from '../kit/tryFirst';
import { Trying } from '../kit/trying';

/** Makes an access tag, or changes one; a change is tried first, and says whose access changes. */
@Component({
  selector: 'kc-tag-sheet',
  imports: [FormsModule, LongTextField, Sheet, TextField, TryFirst],
  template: `
    <kc-sheet [(open)]="open" [heading]="tag()?.name ?? labels.make">
      <form class="form" (submit)="$event.preventDefault(); send()">
        <kc-text-field
          field="tag-name"
          label="Name"
          i18n-label
          [needed]="true"
          [maxlength]="80"
          [wrong]="trying.doing.wrong()['/name']"
          [value]="name()"
          (valueChange)="name.set($event)"
        />
        <kc-long-text-field
          field="tag-note"
          label="What it is for"
          i18n-label
          [rows]="2"
          [maxlength]="2000"
          [value]="note()"
          (valueChange)="note.set($event)"
        />
        @if (tag()) {
          <label class="check">
            <input
              type="checkbox"
              [attr.name]="'active'"
              [ngModel]="active()"
              [ngModelOptions]="{ standalone: true }"
              (ngModelChange)="active.set($event); trying.forget()"
            />
            <span i18n>In use: it gives access to what carries it</span>
          </label>
        }
        <kc-try-first
          [what]="trying"
          [ready]="name().trim() !== ''"
          [first]="touchesAccess()"
          [label]="tag() === null ? labels.make : labels.save"
        />
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
  protected readonly labels = { make: $localize`Make a tag`, save: $localize`Save` };
  private readonly api = inject(Api);
  readonly open = model(false);
  /** Null: a new one. */
  readonly tag = input<TagLine | null>(null);
  /** Gives the id of what was made or changed. */
  readonly changed = output<string>();
  protected readonly name = signal('');
  protected readonly note = signal('');
  protected readonly active = signal(true);
  protected readonly trying = new Trying();
  /** Whether somebody may do more or less by what is said here. */
  protected readonly touchesAccess = computed(() => this.tag() !== null && this.tag()!.active !== this.active());

  constructor() {
    effect(() => {
      if (!this.open()) return;
      const tag = this.tag();
      untracked(() => {
        this.name.set(tag?.name ?? '');
        this.note.set(tag?.note ?? '');
        this.active.set(tag?.active ?? true);
        this.trying.begin();
      });
    });
  }

  protected send(): void {
    const tag = this.tag();
    const body = { name: this.name().trim(), note: this.note().trim() };
    const done = (id: string): void => {
      this.open.set(false);
      this.changed.emit(id);
    };
    if (!tag) {
      this.trying.doing.run(this.api.call(tags.make, { body }), ({ id }) => done(id));
      return;
    }
    const change = { ...body, active: this.active(), revision: tag.revision };
    this.trying.send(
      ({ dryRun }) => this.api.call(tags.change, { params: { id: tag.id }, body: { ...change, dryRun } }),
      () => done(tag.id),
      { first: this.touchesAccess() },
    );
  }
}

import { ChangeDetectionStrategy, Component, effect, inject, input, model, output, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { access, type ProfileLine } from '@key-cellar/contract';
import type { Right } from '@key-cellar/core/access';
import { Api } from '../kit/api';
import { Sheet } from '../kit/sheet';
import { TextField } from '../kit/textField';
import { TryFirst } from '../kit/tryFirst';
import { Trying } from '../kit/trying';
import { rightTitles } from './rightTitles';

/** Makes a profile from single rights, or changes one; a change is tried first, and says whose access changes. */
@Component({
  selector: 'kc-profile-sheet',
  imports: [FormsModule, Sheet, TextField, TryFirst],
  template: `
    <kc-sheet [(open)]="open" [heading]="profile()?.title ?? labels.make">
      <form class="form" (submit)="$event.preventDefault(); send()">
        <kc-text-field
          field="profile-title"
          label="Name"
          i18n-label
          [needed]="true"
          [maxlength]="60"
          [wrong]="trying.doing.wrong()['/title']"
          [value]="title()"
          (valueChange)="title.set($event); trying.forget()"
        />
        <fieldset>
          <legend i18n>Rights</legend>
          @for (right of titles; track right.right) {
            <label class="check">
              <input
                type="checkbox"
                [attr.name]="right.right"
                [ngModel]="rights().has(right.right)"
                [ngModelOptions]="{ standalone: true }"
                (ngModelChange)="choose(right.right, $event)"
              />
              <span>{{ right.title }}</span>
            </label>
          }
        </fieldset>
        <label class="check">
          <input
            type="checkbox"
            [attr.name]="'ownOnly'"
            [ngModel]="ownOnly()"
            [ngModelOptions]="{ standalone: true }"
            (ngModelChange)="ownOnly.set($event); trying.forget()"
          />
          <span i18n>Finding, reading and copying reach only what somebody deposited</span>
        </label>
        @if (profile()) {
          <label class="check">
            <input
              type="checkbox"
              [attr.name]="'active'"
              [ngModel]="active()"
              [ngModelOptions]="{ standalone: true }"
              (ngModelChange)="active.set($event); trying.forget()"
            />
            <span i18n>In use: it can be given; what was given with it goes on either way</span>
          </label>
        }
        <kc-try-first
          [what]="trying"
          [ready]="title().trim() !== '' && rights().size > 0"
          [first]="profile() !== null"
          [label]="profile() === null ? labels.make : labels.save"
        />
      </form>
    </kc-sheet>
  `,
  styles: `
    fieldset {
      border: 0;
      padding: 0;
      margin: 0;
      display: grid;
      gap: 4px;
    }
    legend {
      padding: 0;
      margin-bottom: 4px;
    }
    .check {
      display: flex;
      gap: 8px;
      align-items: baseline;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class ProfileSheet {
  protected readonly labels = {
    make: $localize`Make a profile`,
    save: $localize`Save`,
  };
  protected readonly titles = rightTitles;
  private readonly api = inject(Api);
  readonly open = model(false);
  /** Null: a new one. */
  readonly profile = input.required<ProfileLine | null>();
  readonly changed = output();
  protected readonly title = signal('');
  protected readonly rights = signal<ReadonlySet<Right>>(new Set());
  protected readonly ownOnly = signal(false);
  protected readonly active = signal(true);
  protected readonly trying = new Trying();

  constructor() {
    effect(() => {
      if (!this.open()) return;
      const profile = this.profile();
      untracked(() => {
        this.title.set(profile?.title ?? '');
        this.rights.set(new Set(profile?.rights ?? ['discover', 'read']));
        this.ownOnly.set(profile?.ownOnly ?? false);
        this.active.set(profile?.active ?? true);
        this.trying.begin();
      });
    });
  }

  protected choose(right: Right, chosen: boolean): void {
    const rights = new Set(this.rights());
    if (chosen) rights.add(right);
    else rights.delete(right);
    this.rights.set(rights);
    this.trying.forget();
  }

  protected send(): void {
    const profile = this.profile();
    const body = { title: this.title().trim(), rights: [...this.rights()], ownOnly: this.ownOnly() };
    const done = (): void => {
      this.open.set(false);
      this.changed.emit();
    };
    if (!profile) {
      this.trying.doing.run(this.api.call(access.makeProfile, { body }), done);
      return;
    }
    const change = { ...body, active: this.active(), revision: profile.revision! };
    this.trying.send(
      ({ dryRun }) => this.api.call(access.changeProfile, { params: { id: profile.code }, body: { ...change, dryRun } }),
      done,
    );
  }
}

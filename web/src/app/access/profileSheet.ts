import { ChangeDetectionStrategy, Component, computed, effect, inject, input, model, output, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { access, type AccessShift, type Problem, type ProfileLine } from '@key-cellar/contract';
import type { Right } from '@key-cellar/core/access';
import { Button } from 'primeng/button';
import { AccessShiftWords } from '../kit/accessShift';
import { Api, toProblem } from '../kit/api';
import { ProblemNotice } from '../kit/notice';
import { Sheet } from '../kit/sheet';
import { TextField } from '../kit/textField';
import { rightTitles } from './rightTitles';

/** Makes a profile from single rights, or changes one; a change is tried first, and says whose access changes. */
@Component({
  selector: 'kc-profile-sheet',
  imports: [AccessShiftWords, Button, FormsModule, ProblemNotice, Sheet, TextField],
  template: `
    <kc-sheet [(open)]="open" [heading]="profile()?.title ?? labels.make">
      <form class="form" (submit)="$event.preventDefault(); send()">
        <kc-text-field
          field="profile-title"
          label="Name"
          i18n-label
          [needed]="true"
          [maxlength]="60"
          [wrong]="wrong()['/title']"
          [value]="title()"
          (valueChange)="title.set($event); forget()"
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
            (ngModelChange)="ownOnly.set($event); forget()"
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
              (ngModelChange)="active.set($event); forget()"
            />
            <span i18n>In use: it can be given; what was given with it goes on either way</span>
          </label>
        }
        <kc-access-shift [shift]="shift()" />
        <kc-problem [problem]="problem()" />
        <p-button type="submit" [disabled]="busy() || !title().trim() || rights().size === 0" [label]="button()" />
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
    look: $localize`See the effect`,
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
  protected readonly shift = signal<AccessShift | null>(null);
  protected readonly busy = signal(false);
  protected readonly problem = signal<Problem | null>(null);
  protected readonly wrong = computed(() => Object.fromEntries((this.problem()?.fields ?? []).map((f) => [f.pointer, f.sentence])));
  protected readonly button = computed(() => {
    if (!this.profile()) return this.labels.make;
    return this.shift() === null ? this.labels.look : this.labels.save;
  });

  constructor() {
    effect(() => {
      if (!this.open()) return;
      const profile = this.profile();
      untracked(() => {
        this.title.set(profile?.title ?? '');
        this.rights.set(new Set(profile?.rights ?? ['discover', 'read']));
        this.ownOnly.set(profile?.ownOnly ?? false);
        this.active.set(profile?.active ?? true);
        this.shift.set(null);
        this.problem.set(null);
      });
    });
  }

  /** What was seen does not hold any more. */
  protected forget(): void {
    this.shift.set(null);
  }

  protected choose(right: Right, chosen: boolean): void {
    const rights = new Set(this.rights());
    if (chosen) rights.add(right);
    else rights.delete(right);
    this.rights.set(rights);
    this.forget();
  }

  protected send(): void {
    const [profile, dryRun] = [this.profile(), this.shift() === null];
    const body = { title: this.title().trim(), rights: [...this.rights()], ownOnly: this.ownOnly() };
    this.busy.set(true);
    this.problem.set(null);
    const done = (): void => {
      this.busy.set(false);
      this.open.set(false);
      this.changed.emit();
    };
    const failed = (error: unknown): void => {
      this.busy.set(false);
      this.problem.set(toProblem(error));
    };
    if (!profile) {
      this.api.call(access.makeProfile, { body }).subscribe({ next: done, error: failed });
      return;
    }
    this.api
      .call(access.changeProfile, {
        params: { id: profile.code },
        body: { ...body, active: this.active(), revision: profile.revision!, dryRun },
      })
      .subscribe({
        next: ({ access: shift }) => {
          if (!dryRun) {
            done();
            return;
          }
          this.busy.set(false);
          this.shift.set(shift);
        },
        error: failed,
      });
  }
}

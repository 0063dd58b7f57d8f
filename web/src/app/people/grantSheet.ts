import { ChangeDetectionStrategy, Component, computed, effect, inject, input, model, output, signal, untracked } from '@angular/core';
import { access, people, tags, type AccessShift } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import type { Observable } from 'rxjs';
import { AccessShiftWords } from '../kit/accessShift';
import { Api } from '../kit/api';
import { Choice } from '../kit/choice';
import { DateField } from '../kit/dateField';
import { Doing } from '../kit/doing';
import { LongTextField } from '../kit/longTextField';
import { ProblemNotice } from '../kit/notice';
import { principalChoices } from '../kit/principals';
import { profileChoices } from '../kit/profiles';
import { Sheet } from '../kit/sheet';
import type { GrantTask } from './grantsTable';

/** What access is given to. */
export interface GrantedOn {
  readonly kind: 'place' | 'record' | 'tag';
  readonly id: string;
  readonly name: string;
}

const giving = { place: people.giveGrant, record: access.giveOnRecord, tag: tags.give };

/** Gives, changes or ends access to a place or a record, or by a tag. It is tried first, and says whose access changes. */
@Component({
  selector: 'kc-grant-sheet',
  imports: [AccessShiftWords, Button, Choice, DateField, LongTextField, ProblemNotice, Sheet],
  template: `
    <kc-sheet [open]="task() !== null" (openChange)="$event || task.set(null)" [heading]="heading()">
      @if (task(); as t) {
        <form class="form" (submit)="$event.preventDefault(); send(shift() === null)">
          @if (t.kind === 'give') {
            <kc-choice
              field="grant-who"
              label="Person or group"
              i18n-label
              [options]="options()"
              [value]="principalId()"
              (valueChange)="principalId.set($event); forget()"
            />
          } @else {
            <p>
              <b>{{ t.grant.principal.name }}</b> · {{ t.grant.as }}
            </p>
          }
          @if (t.kind !== 'end') {
            <kc-choice
              field="grant-profile"
              label="As"
              i18n-label
              [options]="profiles()"
              [value]="profile()"
              (valueChange)="profile.set($event ?? 'reader'); forget()"
            />
            <div class="two">
              <kc-date-field
                field="grant-from"
                label="From"
                i18n-label
                [value]="from()"
                (valueChange)="from.set($event ?? null); forget()"
              />
              <kc-date-field
                field="grant-until"
                label="Until, that day included"
                i18n-label
                [value]="until()"
                (valueChange)="until.set($event ?? null); forget()"
              />
            </div>
          }
          <kc-long-text-field
            field="grant-reason"
            label="Reason"
            i18n-label
            [needed]="true"
            [rows]="2"
            [maxlength]="2000"
            [value]="reason()"
            (valueChange)="reason.set($event)"
          />
          <kc-access-shift [shift]="shift()" />
          <kc-problem [problem]="doing.problem()" />
          <p-button type="submit" [disabled]="doing.busy() || !ready()" [label]="shift() === null ? labels.look : labels[t.kind]" />
        </form>
      }
    </kc-sheet>
  `,
  styles: `
    .two {
      display: grid;
      grid-template-columns: 1fr 1fr;
      gap: 12px;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class GrantSheet {
  protected readonly labels = {
    look: $localize`See the effect`,
    give: $localize`Give access`,
    change: $localize`Save`,
    end: $localize`End access`,
  };
  private readonly api = inject(Api);
  readonly on = input.required<GrantedOn>();
  /** What is to be done; null while nothing is. */
  readonly task = model<GrantTask | null>(null);
  readonly done = output();
  protected readonly options = principalChoices();
  protected readonly profiles = profileChoices().options;
  protected readonly principalId = signal<string | null>(null);
  protected readonly profile = signal('reader');
  protected readonly from = signal<string | null>(null);
  protected readonly until = signal<string | null>(null);
  protected readonly reason = signal('');
  protected readonly shift = signal<AccessShift | null>(null);
  protected readonly doing = new Doing();
  protected readonly ready = computed(
    () => this.reason().trim().length >= 3 && (this.task()?.kind !== 'give' || this.principalId() !== null),
  );
  protected readonly heading = computed(() => {
    const { kind, name } = this.on();
    if (kind === 'tag') return this.byTag(name);
    switch (this.task()?.kind) {
      case 'change':
        return $localize`Change access to ${name}:place:`;
      case 'end':
        return $localize`End access to ${name}:place:`;
      default:
        return $localize`Give access to ${name}:place:`;
    }
  });

  constructor() {
    effect(() => {
      const task = this.task();
      untracked(() => this.begin(task));
    });
  }

  private byTag(name: string): string {
    switch (this.task()?.kind) {
      case 'change':
        return $localize`Change access by the tag ${name}:tag:`;
      case 'end':
        return $localize`End access by the tag ${name}:tag:`;
      default:
        return $localize`Give access by the tag ${name}:tag:`;
    }
  }

  private begin(task: GrantTask | null): void {
    const grant = task && 'grant' in task ? task.grant : null;
    this.principalId.set(null);
    this.profile.set(grant?.profile ?? 'reader');
    this.from.set(grant?.from ?? null);
    this.until.set(grant?.until ?? null);
    this.reason.set(task?.kind === 'change' ? task.grant.reason : '');
    this.shift.set(null);
    this.doing.problem.set(null);
  }

  /** What was seen does not hold any more. */
  protected forget(): void {
    this.shift.set(null);
  }

  private call(task: GrantTask, dryRun: boolean): Observable<{ access: AccessShift | null }> {
    const { kind, id } = this.on();
    const reason = this.reason().trim();
    if (task.kind === 'end') return this.api.call(people.endGrant, { params: { id: task.grant.id }, body: { reason, dryRun } });
    const body = { profile: this.profile(), from: this.from(), until: this.until(), reason, dryRun };
    if (task.kind === 'change') return this.api.call(people.changeGrant, { params: { id: task.grant.id }, body });
    const given = { params: { id }, body: { ...body, principalId: this.principalId()! } };
    return this.api.call(giving[kind], given);
  }

  protected send(dryRun: boolean): void {
    this.doing.run(this.call(this.task()!, dryRun), ({ access: shift }) => {
      if (dryRun) {
        this.shift.set(shift);
        return;
      }
      this.task.set(null);
      this.done.emit();
    });
  }
}

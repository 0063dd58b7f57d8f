import { ChangeDetectionStrategy, Component, computed, effect, inject, input, model, output, signal, untracked } from '@angular/core';
import { access, people, tags, type AccessShift } from '@key-cellar/contract';
import type { Observable } from 'rxjs';
import { Api } from '../kit/api';
import { Choice } from '../kit/choice';
import { DateField } from '../kit/dateField';
import { principalChoices } from '../kit/principals';
import { profileChoices } from '../kit/profiles';
import { Sheet } from '../kit/sheet';
import { TryFirst } from '../kit/tryFirst';
import { Trying } from '../kit/trying';
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
  imports: [Choice, DateField, Sheet, TryFirst],
  template: `
    <kc-sheet [open]="task() !== null" (openChange)="$event || task.set(null)" [heading]="heading()">
      @if (task(); as t) {
        <form class="form" (submit)="$event.preventDefault(); send(t)">
          @if (t.kind === 'give') {
            <kc-choice
              field="grant-who"
              label="Person or group"
              i18n-label
              [options]="options()"
              [value]="principalId()"
              (valueChange)="principalId.set($event); trying.forget()"
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
              (valueChange)="profile.set($event); trying.forget()"
            />
            <div class="two">
              <kc-date-field
                field="grant-from"
                label="From"
                i18n-label
                [value]="from()"
                (valueChange)="from.set($event); trying.forget()"
              />
              <kc-date-field
                field="grant-until"
                label="Until, that day included"
                i18n-label
                [value]="until()"
                (valueChange)="until.set($event); trying.forget()"
              />
            </div>
          }
          <kc-try-first
            [what]="trying"
            reasonField="grant-reason"
            [ready]="t.kind !== 'give' || principalId() !== null"
            [label]="labels[t.kind]"
          />
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
  protected readonly trying = new Trying();
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
    this.trying.begin(task?.kind === 'change' ? task.grant.reason : '');
  }

  private call(task: GrantTask, how: { readonly dryRun: boolean; readonly reason: string }): Observable<{ access: AccessShift | null }> {
    const { kind, id } = this.on();
    if (task.kind === 'end') return this.api.call(people.endGrant, { params: { id: task.grant.id }, body: how });
    const body = { profile: this.profile(), from: this.from(), until: this.until(), ...how };
    if (task.kind === 'change') return this.api.call(people.changeGrant, { params: { id: task.grant.id }, body });
    return this.api.call(giving[kind], { params: { id }, body: { ...body, principalId: this.principalId()! } });
  }

  protected send(task: GrantTask): void {
    this.trying.send(
      (how) => this.call(task, how),
      () => {
        this.task.set(null);
        this.done.emit();
      },
    );
  }
}

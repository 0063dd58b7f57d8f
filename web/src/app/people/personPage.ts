import { ChangeDetectionStrategy, Component, computed, effect, inject, input, linkedSignal, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import { federation, identity, people, type AccessShift, type Invitation, type PersonRef } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import type { Observable } from 'rxjs';
import { Session } from '../identity/index';
import { AccessShiftWords } from '../kit/accessShift';
import { Api } from '../kit/api';
import { Choice } from '../kit/choice';
import { Doing } from '../kit/doing';
import { loaded } from '../kit/loaded';
import { LongTextField } from '../kit/longTextField';
import { ProblemNotice } from '../kit/notice';
import { Sheet } from '../kit/sheet';
import { CountPipe, DayPipe, InstantPipe, countWords } from '../kit/words';
import { SetupNav } from '../records/index';
import { InvitationLink } from './invitationLink';
import { bodyOf, draftOf, emptyDraft, PersonFields } from './personFields';

/** One person: who they are, what they were given, where they are signed in, and their leaving. */
@Component({
  selector: 'kc-person',
  imports: [
    AccessShiftWords,
    Button,
    Choice,
    CountPipe,
    DayPipe,
    FormsModule,
    InstantPipe,
    InvitationLink,
    LongTextField,
    PersonFields,
    ProblemNotice,
    RouterLink,
    SetupNav,
    Sheet,
  ],
  templateUrl: './personPage.html',
  styles: `
    .columns {
      display: grid;
      grid-template-columns: minmax(0, 1fr) minmax(0, 1.3fr);
      gap: 32px;
      align-items: start;
    }
    @media (max-width: 900px) {
      .columns {
        grid-template-columns: minmax(0, 1fr);
      }
    }
    section + section {
      margin-top: 24px;
    }
    h2 {
      margin: 0 0 8px;
    }
    .plain {
      list-style: none;
      padding: 0;
      margin: 0;
    }
    .link {
      font: inherit;
      padding: 0;
      border: 0;
      background: none;
      color: var(--ink-2);
      text-decoration: underline;
      cursor: pointer;
    }
    .check {
      display: flex;
      gap: 8px;
      align-items: center;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class PersonPage {
  protected readonly labels = { look: $localize`See the effect`, save: $localize`Save` };
  private readonly api = inject(Api);
  protected readonly session = inject(Session);
  readonly id = input.required<string>();
  protected readonly page = loaded(() => this.api.call(people.person, { params: { id: this.id() } }));
  protected readonly mail = loaded(() => this.api.call(identity.mailChoices));
  protected readonly all = loaded(() => this.api.call(people.list));
  protected readonly draft = linkedSignal(() => {
    const p = this.page.value();
    return p ? draftOf(p) : emptyDraft;
  });
  protected readonly changed = computed(() => {
    const p = this.page.value();
    return p !== undefined && JSON.stringify(bodyOf(this.draft())) !== JSON.stringify(bodyOf(draftOf(p)));
  });
  /** Whose access changes by what is said here, once that was asked. */
  protected readonly shift = linkedSignal<unknown, AccessShift | null>({ source: () => this.draft(), computation: () => null });
  /** Whether they may do more or less by what is said here. */
  protected readonly touchesAccess = computed(() => {
    const p = this.page.value();
    const said = (body: ReturnType<typeof bodyOf>): string => JSON.stringify([body.clearance, [...body.groupIds].sort()]);
    return p !== undefined && said(bodyOf(this.draft())) !== said(bodyOf(draftOf(p)));
  });
  protected readonly invitation = signal<Invitation | null>(
    (inject(Router).currentNavigation()?.extras.state as { invitation?: Invitation | null } | undefined)?.invitation ?? null,
  );
  protected readonly leaving = signal(false);
  protected readonly resetting = signal(false);
  protected readonly reason = signal('');
  protected readonly heirId = signal<string | null>(null);
  protected readonly grantsToo = signal(false);
  protected readonly doing = new Doing();
  protected readonly done = signal('');
  protected readonly isSelf = computed(() => this.session.me()?.id === this.id());
  protected readonly heirs = computed(() =>
    (this.all.value()?.people ?? []).flatMap((p) => (p.active && p.id !== this.id() ? [{ value: p.id, name: p.name }] : [])),
  );

  constructor() {
    effect(() => {
      this.id();
      untracked(() => this.done.set(''));
    });
  }

  private run<T>(call: Observable<T>, then: (answer: T) => void): void {
    this.doing.run(call, (answer) => {
      then(answer);
      this.page.reload();
    });
  }

  protected unlinkName({ name }: PersonRef): string {
    return $localize`Unlink ${name}:name:`;
  }

  protected unlink({ id: providerId, name }: PersonRef): void {
    this.run(this.api.call(federation.unlinkPerson, { params: { id: this.id(), providerId } }), () =>
      this.done.set($localize`Unlinked from ${name}:name:, and signed out everywhere.`),
    );
  }

  protected save(): void {
    const { revision } = this.page.value()!;
    const change = (dryRun: boolean) =>
      this.api.call(people.change, { params: { id: this.id() }, body: { ...bodyOf(this.draft()), revision, dryRun } });
    if (this.touchesAccess() && this.shift() === null) this.doing.run(change(true), ({ access }) => this.shift.set(access));
    else this.run(change(false), () => this.done.set($localize`Saved.`));
  }

  protected invite(byMail: boolean): void {
    this.run(this.api.call(people.invite, { params: { id: this.id() }, body: { byMail } }), (invitation) =>
      this.invitation.set(invitation),
    );
  }

  protected resetFactor(): void {
    this.run(this.api.call(people.resetSecond, { params: { id: this.id() }, body: { reason: this.reason().trim() } }), () => {
      this.resetting.set(false);
      this.reason.set('');
      this.done.set($localize`Reset. They sign in with the password alone until they set up another.`);
    });
  }

  protected endSessions(): void {
    this.run(this.api.call(people.endSessions, { params: { id: this.id() } }), ({ ended }) =>
      this.done.set(ended === 1 ? $localize`One session ended.` : $localize`${countWords(ended)}:count: sessions ended.`),
    );
  }

  protected bringBack(): void {
    this.run(this.api.call(people.bringBack, { params: { id: this.id() } }), () => this.done.set($localize`Brought back, without access.`));
  }

  protected letGo(): void {
    const body = { reason: this.reason(), heirId: this.heirId(), grantsToo: this.grantsToo() && this.heirId() !== null };
    this.run(this.api.call(people.letGo, { params: { id: this.id() }, body }), ({ sessions, records, grants }) => {
      this.leaving.set(false);
      this.invitation.set(null);
      const [s, r, g] = [sessions, records, grants].map(countWords);
      this.done.set(
        $localize`Let go. Sessions ended: ${s}:sessions:; records handed over: ${r}:records:; grants handed over: ${g}:grants:.`,
      );
    });
  }
}

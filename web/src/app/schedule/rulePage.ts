import {
  ChangeDetectionStrategy,
  Component,
  computed,
  effect,
  inject,
  input,
  linkedSignal,
  signal,
  untracked,
  viewChild,
} from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import { schedule, type Problem, type RuleDefinition, type RulePage as Page, type ScheduleChange } from '@key-cellar/contract';
import { byForce } from '@key-cellar/core/schedule';
import { Button } from 'primeng/button';
import { concatMap, of } from 'rxjs';
import { Session } from '../identity/index';
import { DateField } from '../kit/dateField';
import { Api, toProblem } from '../kit/api';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { RuleStrip } from '../kit/ruleStrip';
import { Sheet } from '../kit/sheet';
import { Unsaved } from '../kit/unsaved';
import { CountPipe, DayPipe, InstantPipe } from '../kit/words';
import { DraftTrial } from './draftTrial';
import { EffectView } from './effectView';
import { JobProgress } from '../kit/jobProgress';
import { LongTextField } from '../kit/longTextField';
import { Meanwhile } from './meanwhile';
import { emptyRule, RuleForm, wrongIn } from './ruleForm';
import { ruleLines } from './ruleLines';
import { RuleReach } from './ruleReach';
import { VersionCompare } from './versionCompare';
import type { Draft } from './whatIfModel';

/** HTTP: the precondition failed, somebody changed it since it was read. */
const overtaken = 412;

/** One rule: its versions, and its draft with a worked example that follows each change. */
@Component({
  selector: 'kc-rule',
  imports: [
    LongTextField,
    DateField,
    Button,
    CountPipe,
    DayPipe,
    DraftTrial,
    EffectView,
    FormsModule,

    InstantPipe,
    JobProgress,
    Meanwhile,
    ProblemNotice,
    RouterLink,
    RuleForm,
    RuleReach,
    RuleStrip,
    Sheet,
    VersionCompare,
  ],
  templateUrl: './rulePage.html',
  styleUrl: './rulePage.css',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class RulePage {
  private readonly api = inject(Api);
  private readonly router = inject(Router);
  protected readonly session = inject(Session);
  /** Absent for a new rule. */
  readonly id = input<string>();

  protected readonly page = loaded(() => (this.id() ? this.api.call(schedule.rule, { params: { id: this.id()! } }) : of(undefined)));
  private readonly form = viewChild(RuleForm);
  protected readonly draft = signal<RuleDefinition | null>(null);
  /** The code of a rule that is new; null where it has one. */
  protected readonly newCode = linkedSignal<string | null>(() => (this.id() ? null : ''));
  protected readonly publishing = signal(false);
  protected readonly comparing = signal(false);
  protected readonly inForceFrom = signal(this.session.today());
  protected readonly takesOver = signal<'all' | 'laterClocks'>('all');
  protected readonly jobId = signal<string | null>(null);
  protected readonly busy = signal(false);
  protected readonly saved = signal(true);
  protected readonly problem = signal<Problem | null>(null);
  /** What the draft was when one began to edit it. */
  protected readonly began = signal<RuleDefinition | null>(null);
  /** The rule as somebody else left it, when they were faster. */
  protected readonly meanwhile = signal<Page | null>(null);

  protected readonly ruleLines = ruleLines;

  /** Versions that count, from the one in force from the latest day on. */
  private readonly counting = computed(() => byForce((this.page.value()?.versions ?? []).filter((v) => v.withdrawn === null)));
  protected readonly current = computed(() => this.counting().find((v) => v.inForceFrom <= this.session.today()) ?? this.counting().at(-1));
  /** Versions that are to come into force: they stay announced when another one is published. */
  protected readonly announced = computed(() => this.counting().filter((v) => v.inForceFrom > this.session.today()));
  /** The version that is about to be withdrawn. */
  protected readonly withdrawing = signal<Page['versions'][number] | null>(null);
  protected readonly reason = signal('');
  protected readonly mayEdit = computed(() => this.session.may('dispose'));
  private readonly isWrong = computed(() => Object.keys(wrongIn(this.draft()!, this.newCode())).length > 0);
  /** The draft to be tried by who may change it; for as long as nothing else is said it is in force from today for all. */
  protected readonly tried = computed<Draft | null>(() => {
    if (!this.mayEdit()) return null;
    const definition = this.draft();
    const today = this.session.today();
    const inForceFrom = this.inForceFrom() || today;
    return (
      definition && {
        ruleId: this.id() ?? '',
        code: this.page.value()?.code ?? this.newCode() ?? '',
        definition,
        inForceFrom,
        takesOver: this.takesOver(),
        today,
      }
    );
  });

  /** The draft as a change, while it is about to be published. */
  protected readonly whatIf = computed<ScheduleChange | null>(() => {
    const definition = this.draft();
    const ruleId = this.id();
    if (!this.publishing() || !definition || !ruleId || !this.inForceFrom() || this.isWrong()) return null;
    return { kind: 'rule', ruleId, definition, inForceFrom: this.inForceFrom(), takesOver: this.takesOver() };
  });

  constructor() {
    inject(Unsaved).watch(
      () => !this.saved() && JSON.stringify([this.draft(), this.newCode() ?? '']) !== JSON.stringify([this.began(), '']),
    );
    effect(() => {
      const page = this.page.value();
      untracked(() => {
        if (!this.id() && !this.draft()) {
          this.draft.set(emptyRule);
          this.began.set(emptyRule);
        }
        if (page && this.saved()) {
          this.draft.set(page.draft);
          this.began.set(page.draft);
        }
      });
    });
  }

  protected edit(): void {
    this.draft.set(this.current()!.definition);
    this.began.set(this.current()!.definition);
    this.saved.set(false);
  }

  protected change(draft: RuleDefinition): void {
    this.draft.set(draft);
    this.saved.set(false);
  }

  /** Whether the draft can be saved as it is; where not, the form says why. */
  private isSound(): boolean {
    if (this.isWrong()) this.form()!.tell();
    return !this.isWrong();
  }

  protected beginPublishing(): void {
    if (this.isSound()) this.publishing.set(true);
  }

  private fail = (error: unknown): void => {
    this.busy.set(false);
    const problem = toProblem(error);
    this.problem.set(problem);
    if (problem.status === overtaken) this.seeMeanwhile();
  };

  /** Somebody else was faster: shows what they did. */
  private seeMeanwhile(): void {
    this.publishing.set(false);
    this.api.call(schedule.rule, { params: { id: this.id()! } }).subscribe({
      next: (page) => this.meanwhile.set(page),
      error: (error: unknown) => this.problem.set(toProblem(error)),
    });
  }

  /** Goes on with one's own draft at the revision that they left, or with theirs. */
  protected goOn(mine: boolean): void {
    this.meanwhile.set(null);
    this.problem.set(null);
    this.saved.set(!mine);
    this.page.reload();
  }

  protected save(): void {
    if (!this.isSound()) return;
    this.busy.set(true);
    this.problem.set(null);
    const definition = this.draft()!;
    if (!this.id()) {
      this.api.call(schedule.makeRule, { body: { code: this.newCode()!.trim(), definition } }).subscribe({
        next: ({ id }) => {
          this.saved.set(true);
          void this.router.navigate(['/schedule', id]).then(() => {
            this.busy.set(false);
            this.page.reload();
          });
        },
        error: this.fail,
      });
      return;
    }
    this.api
      .call(schedule.saveDraft, { params: { id: this.id()! }, body: { revision: this.page.value()!.revision, definition } })
      .subscribe({
        next: () => {
          this.busy.set(false);
          this.saved.set(true);
          this.page.reload();
        },
        error: this.fail,
      });
  }

  protected drop(): void {
    const page = this.page.value()!;
    if (!page.draft) {
      this.draft.set(null);
      this.saved.set(true);
      return;
    }
    this.api.call(schedule.dropDraft, { params: { id: page.id }, body: { revision: page.revision } }).subscribe({
      next: () => {
        this.saved.set(true);
        this.page.reload();
      },
      error: this.fail,
    });
  }

  protected beginWithdrawing(version: Page['versions'][number]): void {
    this.publishing.set(false);
    this.problem.set(null);
    this.reason.set('');
    this.withdrawing.set(version);
  }

  protected withdraw(): void {
    this.busy.set(true);
    this.problem.set(null);
    const { version } = this.withdrawing()!;
    this.api.call(schedule.withdrawVersion, { params: { id: this.id()!, version }, body: { reason: this.reason() } }).subscribe({
      next: () => {
        this.busy.set(false);
        this.withdrawing.set(null);
        this.page.reload();
      },
      error: this.fail,
    });
  }

  protected publish(): void {
    this.busy.set(true);
    this.problem.set(null);
    const id = this.id()!;
    const { revision } = this.page.value()!;
    const saved = this.saved()
      ? of({ revision })
      : this.api.call(schedule.saveDraft, { params: { id }, body: { revision, definition: this.draft()! } });
    saved
      .pipe(
        concatMap((s) =>
          this.api.call(schedule.publish, {
            params: { id },
            body: { revision: s.revision, inForceFrom: this.inForceFrom(), takesOver: this.takesOver() },
          }),
        ),
      )
      .subscribe({
        next: ({ jobId }) => {
          this.busy.set(false);
          this.publishing.set(false);
          this.saved.set(true);
          this.jobId.set(jobId);
          this.page.reload();
        },
        error: this.fail,
      });
  }
}

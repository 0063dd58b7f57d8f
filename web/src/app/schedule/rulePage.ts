import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import {
  identity,
  ruleDefinition,
  schedule,
  type Problem,
  type RuleDefinition,
  type RulePage as Page,
  type ScheduleChange,
} from '@key-cellar/contract';
import { describeStep, describeTrigger, recordDates, stepKinds, type StepKind } from '@key-cellar/core/schedule';
import { Button } from 'primeng/button';
import { InputText } from 'primeng/inputtext';
import { MultiSelect } from 'primeng/multiselect';
import { concatMap, EMPTY, of } from 'rxjs';
import { Session } from '../identity/index';
import { Choice } from '../kit/choice';
import { Api, toProblem } from '../kit/api';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { RuleStrip } from '../kit/ruleStrip';
import { Sheet } from '../kit/sheet';
import { CountPipe, DayPipe, InstantPipe } from '../kit/words';
import { DraftTrial } from './draftTrial';
import { EffectView } from './effectView';
import { JobProgress } from '../kit/jobProgress';
import { JurisdictionsField } from './jurisdictionsField';
import { Meanwhile } from './meanwhile';
import { ruleLines } from './ruleLines';
import { VersionCompare } from './versionCompare';
import type { Draft } from './whatIfModel';

type Step = RuleDefinition['steps'][number];

/** HTTP: the precondition failed, somebody changed it since it was read. */
const overtaken = 412;

const emptyRule: RuleDefinition = {
  title: '',
  authority: '',
  jurisdictions: [],
  trigger: { kind: 'recordDate', date: 'created' },
  cutoff: { kind: 'calendarYear' },
  steps: [{ kind: 'destroy', after: 'P7Y', from: 'clockStart', approvals: 1, noticeDays: 14 }],
};

const triggerKinds = [
  { value: 'recordDate', name: $localize`a date of the record` },
  { value: 'fact', name: $localize`a date fact` },
  { value: 'folderClosed', name: $localize`the closing of its folder` },
  { value: 'event', name: $localize`an event outside` },
  { value: 'never', name: $localize`nothing: kept for good` },
] as const;
const cutoffKinds = [
  { value: 'none', name: $localize`no cutoff` },
  { value: 'month', name: $localize`end of the month` },
  { value: 'quarter', name: $localize`end of the quarter` },
  { value: 'calendarYear', name: $localize`end of the calendar year` },
  { value: 'fiscalYear', name: $localize`end of the fiscal year` },
] as const;

/** One rule: its versions, and its draft with a worked example that follows each change. */
@Component({
  selector: 'kc-rule',
  imports: [
    Button,
    CountPipe,
    DayPipe,
    DraftTrial,
    EffectView,
    FormsModule,
    InputText,
    InstantPipe,
    JobProgress,
    JurisdictionsField,
    Meanwhile,
    MultiSelect,
    ProblemNotice,
    RouterLink,
    RuleStrip,
    Choice,
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
  private readonly edits = computed(() => this.draft() !== null);
  /** Groups whose people can be asked to approve; asked for once somebody edits. */
  protected readonly people = loaded(() => (this.edits() ? this.api.call(identity.people) : EMPTY));
  protected readonly groups = computed(() => (this.people.value()?.people ?? []).filter((p) => p.kind === 'group').map((p) => p.name));
  protected readonly draft = signal<RuleDefinition | null>(null);
  protected readonly code = signal('');
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

  protected readonly triggerKinds = triggerKinds;
  protected readonly cutoffKinds = cutoffKinds;
  protected readonly dates = recordDates.map((date) => ({ value: date, name: describeTrigger({ kind: 'recordDate', date }) }));
  /** Nothing here carries out a route yet, so none is offered; a rule that came with one keeps it. */
  protected readonly steps = stepKinds.filter((kind) => kind !== 'route').map((kind) => ({ value: kind, name: describeStep(kind) }));
  protected readonly froms = [
    { value: 'clockStart', name: $localize`after the clock starts` },
    { value: 'previousStep', name: $localize`after the step before` },
  ] as const;
  protected readonly months = Array.from({ length: 12 }, (_, i) => ({
    value: i + 1,
    name: new Date(2000, i, 1).toLocaleString('en', { month: 'long' }),
  }));
  protected readonly describeTrigger = describeTrigger;
  protected readonly ruleLines = ruleLines;
  protected readonly describeStep = describeStep;

  protected readonly current = computed(() => {
    const versions = this.page.value()?.versions ?? [];
    return versions.find((v) => v.inForceFrom <= this.session.today()) ?? versions[0];
  });
  protected readonly mayEdit = computed(() => this.session.may('dispose'));
  /** What is wrong with the draft, by path; the same schema that the server uses. */
  protected readonly wrong = computed<Record<string, string>>(() => {
    const draft = this.draft();
    if (!draft) return {};
    const result = ruleDefinition.safeParse(draft);
    return result.success ? {} : Object.fromEntries(result.error.issues.map((i) => [i.path.join('.'), i.message]));
  });
  protected readonly isWrong = computed(
    () => Object.keys(this.wrong()).length > 0 || (!this.id() && !/^[A-Z0-9][A-Z0-9-]{0,29}$/.test(this.code().trim())),
  );
  /** The draft to be tried; for as long as nothing else is said it is in force from today for all. */
  protected readonly tried = computed<Draft | null>(() => {
    const definition = this.draft();
    const today = this.session.today();
    const inForceFrom = this.inForceFrom() || today;
    return definition && { ruleId: this.id() ?? '', code: this.code(), definition, inForceFrom, takesOver: this.takesOver(), today };
  });

  /** The draft as a change, while it is about to be published. */
  protected readonly whatIf = computed<ScheduleChange | null>(() => {
    const definition = this.draft();
    const ruleId = this.id();
    if (!this.publishing() || !definition || !ruleId || !this.inForceFrom() || this.isWrong()) return null;
    return { kind: 'rule', ruleId, definition, inForceFrom: this.inForceFrom(), takesOver: this.takesOver() };
  });

  constructor() {
    effect(() => {
      const page = this.page.value();
      untracked(() => {
        if (!this.id() && !this.draft()) this.draft.set(emptyRule);
        if (page && this.saved()) {
          this.code.set(page.code);
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

  protected change(changes: Partial<RuleDefinition>): void {
    this.draft.update((draft) => ({ ...draft!, ...changes }));
    this.saved.set(false);
  }

  protected setTrigger(kind: RuleDefinition['trigger']['kind']): void {
    const triggers: Record<typeof kind, RuleDefinition['trigger']> = {
      recordDate: { kind: 'recordDate', date: 'created' },
      fact: { kind: 'fact', fact: 'expires' },
      folderClosed: { kind: 'folderClosed' },
      event: { kind: 'event', eventType: '', occurrence: 'last' },
      never: { kind: 'never' },
    };
    this.change({
      trigger: triggers[kind],
      ...(kind === 'never' ? { steps: [{ kind: 'keepPermanently', after: 'P0D', from: 'clockStart', approvals: 0, noticeDays: 0 }] } : {}),
    });
  }

  protected setCutoff(kind: RuleDefinition['cutoff']['kind']): void {
    this.change({ cutoff: kind === 'fiscalYear' ? { kind, firstMonth: 4, firstDay: 1 } : { kind } });
  }

  protected setStep(index: number, changes: Partial<Step>): void {
    this.change({ steps: this.draft()!.steps.map((step, i) => (i === index ? { ...step, ...changes } : step)) });
  }

  protected setStepKind(index: number, kind: StepKind): void {
    const asks = kind === 'destroy' || kind === 'transfer';
    this.setStep(index, {
      kind,
      approvals: asks ? 1 : 0,
      noticeDays: asks ? 14 : 0,
      repeatEvery: kind === 'askOwner' ? 'P30D' : undefined,
      to: kind === 'move' ? '' : undefined,
    });
  }

  protected addStep(): void {
    this.change({ steps: [{ kind: 'review', after: 'P1Y', from: 'clockStart', approvals: 0, noticeDays: 0 }, ...this.draft()!.steps] });
  }

  protected removeStep(index: number): void {
    this.change({ steps: this.draft()!.steps.filter((_, i) => i !== index) });
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
    this.busy.set(true);
    this.problem.set(null);
    const definition = this.draft()!;
    if (!this.id()) {
      this.api.call(schedule.makeRule, { body: { code: this.code().trim(), definition } }).subscribe({
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

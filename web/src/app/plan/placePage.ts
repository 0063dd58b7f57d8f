import {
  ChangeDetectionStrategy,
  Component,
  computed,
  DestroyRef,
  effect,
  inject,
  input,
  linkedSignal,
  signal,
  untracked,
} from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import { plan, records, schedule, type Problem, type ScheduleChange, type SortColumn } from '@key-cellar/contract';
import { kindsInside } from '@key-cellar/core/plan';
import { Button } from 'primeng/button';
import type { MenuItem } from 'primeng/api';
import { Menu } from 'primeng/menu';
import { Tooltip } from 'primeng/tooltip';
import { Session } from '../identity/index';
import { DateField } from '../kit/dateField';
import { Choice, type Option } from '../kit/choice';
import { Api, toProblem } from '../kit/api';
import { Keys } from '../kit/keys';
import { loaded } from '../kit/loaded';
import { Mark } from '../kit/mark';
import { OwnRaises } from '../access/index';
import { PlaceGrants } from '../people/index';
import { ProblemNotice } from '../kit/notice';
import { Sheet } from '../kit/sheet';
import { CountPipe, DayPipe } from '../kit/words';
import { placeKindNames } from '../kit/names';
import { Uploads } from '../receiving/index';
import { ActOnMany, RecordTable } from '../records/index';
import type { ListState } from '../records/index';
import { EffectView, EventList, JurisdictionsField } from '../schedule/index';
import { PlaceChanges, type PlaceTask } from './placeChanges';
import { PlaceGiving } from './placeGiving';
import { PlaceRoles } from './placeRoles';
import { PlaceSheet } from './placeSheet';
import { SplitSheet } from './splitSheet';

/** Places inside that stand in one row at 1280 px. */
const mostInRow = 4;

type Task = 'close' | 'rule' | 'unset' | 'jurisdictions' | 'numbering' | null;

/** One place of the plan: what is inside, which rules hold there, what happened, its records. */
@Component({
  selector: 'kc-place',
  imports: [
    DateField,
    ActOnMany,
    Button,
    CountPipe,
    DayPipe,
    EffectView,
    EventList,
    FormsModule,
    JurisdictionsField,
    Mark,
    Menu,
    OwnRaises,
    PlaceChanges,
    PlaceGiving,
    PlaceGrants,
    PlaceRoles,
    PlaceSheet,
    SplitSheet,
    ProblemNotice,
    RecordTable,
    RouterLink,
    Choice,
    Sheet,
    Tooltip,
    Uploads,
  ],
  templateUrl: './placePage.html',
  styleUrl: './placePage.css',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class PlacePage {
  protected readonly kinds = placeKindNames;
  private readonly api = inject(Api);
  private readonly router = inject(Router);
  protected readonly session = inject(Session);
  readonly id = input.required<string>();

  protected readonly page = loaded(() => this.api.call(plan.place, { params: { id: this.id() } }));
  private readonly rules = loaded(() => this.api.call(schedule.rules));
  protected readonly task = signal<Task>(null);
  protected readonly making = signal(false);
  protected readonly splitting = signal(false);
  protected readonly changing = signal<PlaceTask | null>(null);
  protected readonly date = signal('');
  protected readonly jurisdictions = signal<readonly string[]>([]);
  protected readonly ruleId = signal<string | null>(null);
  protected readonly numberings = signal<readonly Option<string>[]>([]);
  protected readonly numberingId = signal<string | null>(null);
  protected readonly busy = signal(false);
  protected readonly problem = signal<Problem | null>(null);
  protected readonly done = signal<string | null>(null);
  protected readonly marked = signal<ReadonlySet<string>>(new Set());
  protected readonly version = signal(0);
  protected readonly total = signal<number | null>(null);
  private readonly sort = signal<{ sort: SortColumn; descending: boolean }>({ sort: 'number', descending: false });
  protected readonly state = computed<ListState>(() => ({ filter: { under: this.id() }, ...this.sort() }));
  /** What is arranged here is one line until somebody opens it: people come for what is in the place. */
  protected readonly arranged = signal(false);
  protected readonly allInside = linkedSignal({ source: this.id, computation: () => false });
  /** Of many places inside, those that have room in one row until all are asked for. */
  protected readonly inside = computed(() => {
    const all = this.page.value()?.inside ?? [];
    return this.allInside() || all.length <= mostInRow ? all : all.slice(0, mostInRow - 1);
  });
  protected readonly nowhere = $localize`no jurisdiction`;
  protected readonly asUsual = $localize`default numbering`;
  protected readonly fewer = $localize`Show fewer`;
  protected readonly insideWords = computed(() => {
    const n = this.page.value()?.inside.length ?? 0;
    return this.page.value()?.kind === 'series' || this.page.value()?.kind === 'folder'
      ? $localize`All ${n}:n: folders`
      : $localize`All ${n}:n: places`;
  });
  protected readonly youAre = computed(() => this.page.value()?.profiles.join(', ') ?? '');
  /** Those who may give access here, or look after who has it, see who has. */
  protected readonly mayGrant = computed(() =>
    (this.page.value()?.rights ?? []).some((r) => r === 'grant' || r === 'audit' || r === 'dispose'),
  );
  protected readonly mayKeep = computed(() => this.page.value()?.rights.includes('dispose') ?? false);
  /** Changes of the place itself: folders by those who may move what is in them, the plan by keepers. */
  protected readonly mayChange = computed(() => {
    const p = this.page.value();
    return !!p && p.kind !== 'repository' && (p.kind === 'folder' ? p.rights.includes('move') : this.mayKeep());
  });
  protected readonly changes = computed<MenuItem[]>(() => {
    const p = this.page.value();
    const change = (label: string, task: PlaceTask): MenuItem => ({ label, command: () => this.changing.set(task) });
    if (!p) return [];
    const { shut } = p;
    const closesLater = p.closedOn !== null && shut !== 'closed';
    return [
      change($localize`Describe and renumber`, 'edit'),
      change($localize`Move`, 'move'),
      ...(p.retiredOn === null ? [change($localize`Merge into another`, 'merge')] : []),
      ...(p.kind === 'series' && p.retiredOn === null ? [{ label: $localize`Split`, command: () => this.splitting.set(true) }] : []),
      ...((p.kind === 'series' || p.kind === 'folder') && shut === null
        ? [
            {
              label: $localize`Use a stencil here`,
              command: () => void this.router.navigate(['/plan/stencils'], { queryParams: { place: p.id } }),
            },
          ]
        : []),
      ...(p.kind === 'folder' && this.session.may('dispose')
        ? [
            {
              label: $localize`Create a stencil from it`,
              command: () => void this.router.navigate(['/plan/stencils/new'], { queryParams: { from: p.id } }),
            },
          ]
        : []),
      ...(p.kind === 'folder' && p.retiredOn === null && shut !== 'closed'
        ? [{ label: $localize`Close`, command: () => this.start('close') }]
        : []),
      ...(shut === 'closed' || shut === 'retired' ? [change($localize`Open again`, 'reopen')] : []),
      ...(closesLater && p.retiredOn === null ? [change($localize`Cancel the closing`, 'reopen')] : []),
      ...(p.retiredOn === null ? [change($localize`Retire`, 'retire')] : []),
    ];
  });
  protected readonly mayMake = computed(() => {
    const p = this.page.value();
    if (!p || p.shut !== null || kindsInside(p.kind).length === 0) return false;
    return kindsInside(p.kind).includes('folder') ? p.rights.includes('edit') || this.mayKeep() : this.mayKeep();
  });
  protected readonly ruleOptions = computed(() => {
    const set = new Set(
      this.page
        .value()
        ?.setRules.filter((r) => r.here)
        .map((r) => r.id),
    );
    return (this.rules.value()?.rules ?? [])
      .filter((r) => r.version !== null && !set.has(r.id))
      .map((r) => ({ value: r.id, name: `${r.code} ${r.definition.title}` }));
  });
  /** What is about to be done, as a change to look at first; keepers are told what it does to dates. */
  protected readonly whatIf = computed<ScheduleChange | null>(() => {
    const ruleId = this.ruleId();
    const placeId = this.id();
    if (!this.session.may('dispose')) return null;
    switch (this.task()) {
      case 'rule':
      case 'unset':
        return ruleId ? { kind: 'setRule', placeId, ruleId, set: this.task() === 'rule' } : null;
      case 'close':
        return this.date() ? { kind: 'closeFolder', placeId, on: this.date() } : null;
      case 'jurisdictions':
        return { kind: 'placeJurisdictions', placeId, jurisdictions: [...this.jurisdictions()] };
      default:
        return null;
    }
  });
  protected readonly taskOpen = computed(() => this.task() !== null);
  protected readonly taskName = computed(() => {
    switch (this.task()) {
      case 'close':
        return $localize`Close the folder`;
      case 'jurisdictions':
        return $localize`Jurisdictions`;
      case 'numbering':
        return $localize`Set the numbering`;
      case 'rule':
        return $localize`Set a rule`;
      case 'unset':
        return $localize`Remove the rule`;
      case null:
        return '';
    }
  });

  constructor() {
    // Going from one place to another keeps the component: marks of the old place go.
    effect(() => {
      this.id();
      untracked(() => this.marked.set(new Set()));
    });
    const remove = inject(Keys).add({
      n: [$localize`new place here`, () => this.mayMake() && this.making.set(true)],
      m: [$localize`move this place`, () => this.mayChange() && this.changing.set('move')],
    });
    inject(DestroyRef).onDestroy(remove);
  }

  protected formerly(page: { formerCodes: readonly { code: string }[] }): string {
    return page.formerCodes.map((f) => f.code).join(', ');
  }

  protected sorted(by: { sort: SortColumn; descending: boolean }): void {
    this.sort.set(by);
  }

  protected start(task: Task, ruleId: string | null = null): void {
    this.problem.set(null);
    this.done.set(null);
    this.date.set(this.session.today());
    this.jurisdictions.set(this.page.value()?.jurisdictions ?? []);
    this.ruleId.set(ruleId);
    if (task === 'numbering') this.offerNumberings();
    this.task.set(task);
  }

  private offerNumberings(): void {
    const { numbering, code } = this.page.value()!;
    this.numberingId.set(numbering?.setOn === code ? numbering.id : null);
    this.api.call(records.numberings).subscribe({
      next: ({ numberings }) => this.numberings.set(numberings.map((n) => ({ value: n.id, name: `${n.title} · ${n.pattern}` }))),
      error: (error: unknown) => this.problem.set(toProblem(error)),
    });
  }

  protected closeTask(open: boolean): void {
    if (!open) this.task.set(null);
  }

  protected carryOut(): void {
    const params = { id: this.id() };
    const { revision } = this.page.value()!;
    const finish = {
      next: (result: { recomputed?: number }) => {
        this.busy.set(false);
        // What was changed is to be seen.
        if (this.task() !== 'close') this.arranged.set(true);
        this.task.set(null);
        if (result.recomputed !== undefined) this.done.set($localize`${result.recomputed}:n: records were recalculated.`);
        this.reload();
      },
      error: (error: unknown) => {
        this.busy.set(false);
        this.problem.set(toProblem(error));
      },
    };
    this.busy.set(true);
    this.problem.set(null);
    if (this.task() === 'close') this.api.call(plan.closeFolder, { params, body: { on: this.date() } }).subscribe(finish);
    else if (this.task() === 'jurisdictions') {
      this.api
        .call(schedule.placeJurisdictions, { params, body: { revision, jurisdictions: [...this.jurisdictions()] } })
        .subscribe(finish);
    } else if (this.task() === 'numbering') {
      this.api.call(records.placeNumbering, { params, body: { revision, numberingId: this.numberingId() } }).subscribe(finish);
    } else {
      const endpoint = this.task() === 'unset' ? plan.unsetRule : plan.setRule;
      this.api.call(endpoint, { params, body: { ruleId: this.ruleId()! } }).subscribe(finish);
    }
  }

  protected wasChanged(sentence: string): void {
    this.done.set(sentence || null);
    this.reload();
  }

  protected reload(): void {
    this.page.reload();
    this.version.update((n) => n + 1);
    this.session.refresh();
  }

  protected acted(): void {
    this.marked.set(new Set());
    this.reload();
  }

  protected unmark(): void {
    this.marked.set(new Set());
  }

  protected fileThere(): void {
    void this.router.navigate(['/receiving'], { queryParams: { place: this.id() } });
  }
}

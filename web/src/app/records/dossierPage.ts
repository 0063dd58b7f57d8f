import { ChangeDetectionStrategy, Component, computed, DestroyRef, inject, input, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { RouterLink } from '@angular/router';
import type { Dossier, Problem } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { Tab, TabList, TabPanel, TabPanels, Tabs } from 'primeng/tabs';
import { Tooltip } from 'primeng/tooltip';
import { filter, map, switchMap, take } from 'rxjs';

import { RecordSteps } from '../docket/index';
import { Session } from '../identity/index';
import { DateField } from '../kit/dateField';
import { trailOf } from '../kit/trail';
import { toProblem } from '../kit/api';
import { Keys } from '../kit/keys';
import { Lifeline, type Life } from '../kit/lifeline';
import { loaded } from '../kit/loaded';
import { Mark } from '../kit/mark';
import { marksOf } from '../kit/marksOf';
import { ProblemNotice } from '../kit/notice';
import { Sheet } from '../kit/sheet';
import { BytesPipe, CountPipe, DayPipe, InstantPipe } from '../kit/words';
import { TextField } from '../kit/textField';
import { UploadService } from '../receiving/index';
import { EventList, RuleOnDay } from '../schedule/index';
import { RecordGrants } from '../people/index';
import { ActOnMany } from './actOnMany';
import { FactFields, type FactValues } from './factFields';
import { FactWordsPipe } from './factWords';
import { Preview, type Shown } from './preview';
import { RecordsService } from './recordsService';

type TabName = 'why' | 'facts' | 'events' | 'versions' | 'access' | 'ledger';

export function lifeOfDossier(d: Dossier): Life {
  return {
    created: d.createdOn,
    filed: d.filedOn,
    declared: d.declaredOn,
    clockStart: d.clockStart,
    due: d.dueOn,
    permanent: d.outcome === 'permanent',
    disposed: d.disposedOn,
    steps: d.why.steps.flatMap((s) => (s.dueOn ? [{ kind: s.kind, on: s.dueOn }] : [])),
    holds: d.holds.map(({ hold, since, until }) => ({
      name: hold ? $localize`held: ${hold.name}:name:` : $localize`held`,
      from: since,
      until,
    })),
  };
}

/** A record's own page: its life, its content, and why its date is what it is. */
@Component({
  selector: 'kc-dossier',
  imports: [
    RecordGrants,
    TextField,
    DateField,
    ActOnMany,
    BytesPipe,
    CountPipe,
    Button,
    DayPipe,
    EventList,
    FactFields,
    FactWordsPipe,
    FormsModule,
    InstantPipe,
    Lifeline,
    Mark,
    Preview,
    ProblemNotice,
    RecordSteps,
    RouterLink,
    Sheet,
    Tab,
    TabList,
    TabPanel,
    TabPanels,
    Tabs,
    Tooltip,
    RuleOnDay,
  ],
  templateUrl: './dossierPage.html',
  styleUrl: './dossierPage.css',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class DossierPage {
  protected readonly labels = {
    gone: (transferred: boolean, day: string) => (transferred ? $localize`transferred ${day}:day:` : $localize`destroyed ${day}:day:`),
    adding: $localize`Adding …`,
    addVersion: $localize`Add a version`,
  };
  private readonly service = inject(RecordsService);
  private readonly uploads = inject(UploadService);
  protected readonly session = inject(Session);
  readonly id = input.required<string>();

  protected readonly page = loaded(() => this.service.dossier(this.id()));
  protected readonly trail = trailOf(
    computed(() => (this.page.value() ? { subject: this.id(), subjectKind: 'record' } : null)),
    () => true,
  );
  protected readonly tab = signal<TabName>('why');
  protected readonly shownVersion = signal<number | null>(null);
  protected readonly version = computed(() => {
    const versions = this.page.value()?.versions ?? [];
    return versions.find((v) => v.no === this.shownVersion()) ?? versions[0] ?? null;
  });
  /** What the preview shows; a new one only when another version is to be seen. */
  protected readonly shown = computed<Shown | null>(
    () => {
      const v = this.version();
      const asText = this.page.value()?.rights.includes('copyOut') ?? false;
      return v
        ? { kind: 'record', id: this.id(), version: v.no, fileName: v.fileName, mediaType: v.mediaType, size: v.size, asText }
        : null;
    },
    { equal: (a, b) => a?.id === b?.id && a?.version === b?.version },
  );
  protected readonly life = computed(() => {
    const d = this.page.value();
    return d ? lifeOfDossier(d) : null;
  });
  protected readonly marks = computed(() => {
    const d = this.page.value();
    return d ? marksOf(d) : [];
  });
  protected readonly heldWords = computed(() => {
    const open = this.page.value()?.holds.filter((h) => h.until === null) ?? [];
    if (open.some((h) => h.hold === null)) return $localize`held`;
    return open.length === 1 ? $localize`held for 1 matter` : $localize`held for ${open.length}:n: matters`;
  });
  /** Why this record cannot be changed by this person now; empty when it can. */
  protected readonly readOnly = computed(() => {
    const d = this.page.value();
    if (!d) return '';
    if (d.state === 'disposed') return $localize`Disposed: only this stub remains.`;
    if (d.frozenByHold) return $localize`A hold freezes this record. Counsel can release the hold.`;
    if (d.state === 'declared' && d.frozenParts.includes('facts'))
      return $localize`Declared: nobody can change it. A keeper may revoke the declaration with a reason.`;
    if (!d.rights.includes('edit')) return $localize`You may read here, not edit. A keeper can grant it.`;
    return '';
  });
  protected readonly mayAdd = computed(() => {
    const d = this.page.value();
    return (
      !!d &&
      d.medium === 'electronic' &&
      d.rights.includes('edit') &&
      d.state !== 'disposed' &&
      !d.frozenByHold &&
      !d.frozenParts.includes('content')
    );
  });
  protected readonly ids = computed(() => new Set(this.page.value() ? [this.page.value()!.id] : []));

  protected readonly editing = signal(false);
  protected readonly title = signal('');
  protected readonly createdOn = signal('');
  protected readonly facts = signal<FactValues>({});
  protected readonly problem = signal<Problem | null>(null);
  protected readonly busy = signal(false);
  protected readonly wrong = computed(() =>
    Object.fromEntries((this.problem()?.fields ?? []).map((f) => [f.pointer.replace('/facts/', ''), f.sentence])),
  );
  protected readonly uploading = signal<string | null>(null);
  /** The day one looks back to, and what the schedule said on it. */

  constructor() {
    const remove = inject(Keys).add({
      e: [$localize`facts`, () => this.edit()],
      w: [$localize`why this date`, () => this.tab.set('why')],
    });
    inject(DestroyRef).onDestroy(remove);
  }

  protected edit(): void {
    const d = this.page.value();
    this.tab.set('facts');
    if (!d || this.readOnly()) return;
    this.title.set(d.title);
    this.createdOn.set(d.createdOn);
    this.facts.set({ ...d.facts });
    this.problem.set(null);
    this.editing.set(true);
  }

  protected save(): void {
    const d = this.page.value()!;
    this.busy.set(true);
    this.problem.set(null);
    this.service
      .editFacts(d.id, { revision: d.revision, title: this.title(), createdOn: this.createdOn(), facts: this.facts() })
      .subscribe({
        next: () => {
          this.busy.set(false);
          this.editing.set(false);
          this.reload();
        },
        error: (error: unknown) => {
          this.busy.set(false);
          this.problem.set(toProblem(error));
        },
      });
  }

  protected addVersion(input_: HTMLInputElement): void {
    const file = input_.files?.[0];
    input_.value = '';
    if (!file) return;
    this.uploading.set(file.name);
    this.problem.set(null);
    this.uploads
      .send(file, { source: 'new version' })
      .pipe(
        filter((state) => state.kind === 'done'),
        take(1),
        map((state) => (state.kind === 'done' ? state.arrivalId : '')),
        switchMap((arrivalId) => this.service.addVersion(this.id(), arrivalId, '')),
      )
      .subscribe({
        next: () => {
          this.uploading.set(null);
          this.shownVersion.set(null);
          this.reload();
        },
        error: (error: unknown) => {
          this.uploading.set(null);
          this.problem.set(toProblem(error));
        },
      });
  }

  protected reload(): void {
    this.page.reload();
    this.session.refresh();
  }

  protected detail(value: unknown): string {
    return value === null || value === undefined ? '' : JSON.stringify(value);
  }
}

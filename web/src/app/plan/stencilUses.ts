import { ChangeDetectionStrategy, Component, computed, effect, inject, input, model, output, signal, untracked } from '@angular/core';
import { RouterLink } from '@angular/router';
import { stencils, type BroughtLine, type Problem, type StencilPage, type StencilUse, type UseLine } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { Api, toProblem } from '../kit/api';
import { Choice } from '../kit/choice';
import { Choices } from '../kit/choices';
import { ProblemNotice } from '../kit/notice';
import { Sheet } from '../kit/sheet';
import { CountPipe } from '../kit/words';
import { TextField } from '../kit/textField';
import { LongTextField } from '../kit/longTextField';
import { FactFields, type FactValues } from '../records/index';
import { BroughtList } from './broughtList';
import { RoleFields } from './roleFields';
import { StencilParts } from './stencilsService';

/** The text of a table as the server read it: in the encoding that it found, or else in the one that the file's mark names (Unicode §2.13). */
function textOf(bytes: Uint8Array, readAs: string | null): string {
  const marked = bytes[0] === 0xff && bytes[1] === 0xfe ? 'utf-16le' : bytes[0] === 0xfe && bytes[1] === 0xff ? 'utf-16be' : 'utf-8';
  return new TextDecoder(readAs ?? marked).decode(bytes);
}

type Way = 'one' | 'many' | 'there';

/** Uses a stencil: for one, for many from a table, or in folders that are there. Each is tried first. */
@Component({
  selector: 'kc-stencil-uses',
  imports: [
    LongTextField,
    TextField,
    BroughtList,
    Button,
    Choice,
    CountPipe,
    FactFields,
    Choices,
    ProblemNotice,
    RoleFields,
    RouterLink,
    Sheet,
  ],
  templateUrl: './stencilUses.html',
  styleUrl: './stencilUses.css',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class StencilUses {
  protected readonly labels = {
    makeOne: $localize`Create one folder`,
    make: (n: string) => $localize`Create ${n}:count: folders`,
  };
  private readonly api = inject(Api);
  protected readonly parts = inject(StencilParts);
  readonly open = model.required<boolean>();
  readonly stencil = input.required<StencilPage>();
  readonly place = input<string | null>(null);
  readonly made = output();

  protected readonly way = signal<Way>('one');
  protected readonly ways: readonly { value: Way; name: string }[] = [
    { value: 'one', name: $localize`For one` },
    { value: 'many', name: $localize`For many, from a table` },
    { value: 'there', name: $localize`In folders that are there` },
  ];
  protected readonly placeId = signal<string | null>(null);
  protected readonly code = signal('');
  protected readonly title = signal('');
  protected readonly facts = signal<FactValues>({});
  protected readonly roles = signal<Readonly<Record<string, string>>>({});
  protected readonly csv = signal('');
  /** In which encoding the file was read where it does not say itself. */
  protected readonly readAs = signal<string | null>(null);
  protected readonly uses = signal<readonly StencilUse[]>([]);
  protected readonly folderIds = signal<readonly string[]>([]);
  protected readonly results = signal<readonly UseLine[] | null>(null);
  protected readonly brought = signal<readonly BroughtLine[] | null>(null);
  protected readonly carriedOut = signal(false);
  protected readonly busy = signal(false);
  protected readonly problem = signal<Problem | null>(null);
  protected readonly wrong = computed(() =>
    Object.fromEntries((this.problem()?.fields ?? []).map((f) => [f.pointer.replace(/^\/(facts|roles)\//, ''), f.sentence])),
  );

  protected readonly asked = computed(() => {
    const { asks } = this.stencil().definition;
    return asks.flatMap((code) =>
      this.parts
        .facts()
        .filter((f) => f.code === code)
        .map((f) => ({ ...f, required: true })),
    );
  });
  protected readonly placeOptions = computed(() => this.parts.places().map((p) => ({ value: p.id, name: p.name })));
  protected readonly folderOptions = computed(() =>
    this.parts
      .places()
      .filter((p) => p.kind === 'folder')
      .map((p) => ({ value: p.id, name: p.name })),
  );
  protected readonly columns = computed(() => {
    const { asks, roles } = this.stencil().definition;
    return ['code', 'title', ...asks, ...roles.map((role) => role.title)].join(',');
  });
  protected readonly good = computed(() => (this.results() ?? []).filter((r) => r.outcome === 'done').length);
  protected readonly bad = computed(() => (this.results()?.length ?? 0) - this.good());

  constructor() {
    effect(() => {
      if (!this.open()) return;
      untracked(() => {
        this.placeId.set(this.place() ?? this.placeId());
        this.forget();
      });
    });
  }

  /** What was tried does not hold any more once something is changed. */
  protected forget(): void {
    this.results.set(null);
    this.brought.set(null);
    this.readAs.set(null);
    this.carriedOut.set(false);
    this.problem.set(null);
  }

  protected choose(way: Way): void {
    this.way.set(way);
    this.forget();
  }

  protected take(field: HTMLInputElement): void {
    const file = field.files?.[0];
    field.value = '';
    if (!file) return;
    void file.arrayBuffer().then((bytes) => {
      const format = /\.xlsx$/i.test(file.name) ? 'xlsx' : /\.json$/i.test(file.name) ? 'json' : 'csv';
      this.read(new Uint8Array(bytes), format);
    });
  }

  protected readTyped(): void {
    this.read(new TextEncoder().encode(this.csv()), 'csv');
  }

  private read(bytes: Uint8Array, format: 'csv' | 'xlsx' | 'json'): void {
    this.forget();
    this.busy.set(true);
    const data = btoa(Array.from(bytes, (b) => String.fromCharCode(b)).join(''));
    this.api.call(stencils.readUses, { params: { id: this.stencil().id }, body: { format, data } }).subscribe({
      next: ({ uses, readAs }) => {
        this.busy.set(false);
        this.readAs.set(readAs);
        if (format === 'csv') this.csv.set(textOf(bytes, readAs));
        this.uses.set(uses);
        if (uses.length > 0 && this.placeId()) this.apply(true);
      },
      error: this.fail,
    });
  }

  private readonly fail = (error: unknown): void => {
    this.busy.set(false);
    this.problem.set(toProblem(error));
  };

  protected apply(dryRun: boolean): void {
    const one: StencilUse = {
      code: this.code(),
      title: this.title(),
      facts: this.facts() as StencilUse['facts'],
      roles: { ...this.roles() },
    };
    const uses = this.way() === 'one' ? [one] : [...this.uses()];
    this.busy.set(true);
    this.problem.set(null);
    this.api.call(stencils.apply, { params: { id: this.stencil().id }, body: { placeId: this.placeId()!, uses, dryRun } }).subscribe({
      next: ({ results }) => {
        this.busy.set(false);
        this.results.set(results);
        this.carriedOut.set(!dryRun);
        if (!dryRun) this.made.emit();
      },
      error: this.fail,
    });
  }

  protected applyTo(dryRun: boolean): void {
    this.busy.set(true);
    this.problem.set(null);
    this.api
      .call(stencils.applyTo, {
        params: { id: this.stencil().id },
        body: { placeIds: [...this.folderIds()], roles: { ...this.roles() }, dryRun },
      })
      .subscribe({
        next: ({ results }) => {
          this.busy.set(false);
          this.brought.set(results);
          this.carriedOut.set(!dryRun);
          if (!dryRun) this.made.emit();
        },
        error: this.fail,
      });
  }
}

import { ChangeDetectionStrategy, Component, computed, inject, input, output } from '@angular/core';
import { FormsModule } from '@angular/forms';
import type { StencilBody } from '@key-cellar/contract';
import type { ReadyTitle } from '@key-cellar/core/plan';
import { InputText } from 'primeng/inputtext';
import { Choice } from '../kit/choice';
import { Choices } from '../kit/choices';
import { DateField } from '../kit/dateField';
import { NumberField } from '../kit/numberField';
import { TextField } from '../kit/textField';
import { LongTextField } from '../kit/longTextField';
import { FactFields, type FactValues } from '../records/index';
import { bytesOf, formatsIn, megabyte } from './formats';
import { StencilParts, type StencilFolderBody } from './stencilsService';

const forRole = 'role ';

/** What a stencil says of one folder. */
@Component({
  selector: 'kc-stencil-folder-form',
  imports: [LongTextField, NumberField, TextField, Choice, DateField, FactFields, FormsModule, InputText, Choices],
  templateUrl: './stencilFolderForm.html',
  styleUrl: './stencilFolderForm.css',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class StencilFolderForm {
  protected readonly parts = inject(StencilParts);
  readonly folder = input.required<StencilFolderBody>();
  readonly asks = input.required<readonly string[]>();
  readonly roles = input.required<StencilBody['roles']>();
  readonly isRoot = input(false);
  readonly readOnly = input(false);
  readonly folderChange = output<StencilFolderBody>();

  protected readonly slots = computed(() => this.asks().map((code) => `{${code}}`));
  protected readonly given = computed(() => this.parts.facts().filter((f) => f.code in this.folder().facts));
  protected readonly toGive = computed(() =>
    this.parts
      .facts()
      .filter((f) => !(f.code in this.folder().facts) && !this.asks().includes(f.code))
      .map((f) => ({ value: f.code, name: f.title })),
  );
  protected readonly dates = [
    { value: 'none' as const, name: $localize`no date` },
    { value: 'before' as const, name: $localize`date before` },
    { value: 'after' as const, name: $localize`date after` },
  ];
  protected readonly levels = [0, 1, 2, 3].map((level) => ({
    value: level,
    name: level === 0 ? $localize`none` : $localize`level ${level}:level:`,
  }));

  protected change(changes: Partial<StencilFolderBody>): void {
    this.folderChange.emit({ ...this.folder(), ...changes });
  }

  /** Roles of the use first, then persons and groups. */
  protected readonly whoOptions = computed(() => [
    ...this.roles()
      .filter((role) => role.title.trim() !== '')
      .map((role) => ({ value: forRole + role.code, name: $localize`Whoever is ${role.title}:role:` })),
    ...this.parts.principalOptions(),
  ]);
  protected readonly sizeInMegabytes = computed(() => {
    const { largest } = this.folder();
    return largest === null ? null : largest / megabyte;
  });

  protected whoOf(g: StencilFolderBody['grants'][number]): string | null {
    return g.role === null ? g.principalId : forRole + g.role;
  }
  protected setWho(at: number, value: string): void {
    const isRole = value.startsWith(forRole);
    this.grant(at, { principalId: isRole ? null : value, role: isRole ? value.slice(forRole.length) : null });
  }
  protected setFormats(text: string): void {
    this.change({ formats: formatsIn(text) });
  }
  protected setSize(size: number | null): void {
    this.change({ largest: bytesOf(size) });
  }

  protected grant(at: number, changes: Partial<StencilFolderBody['grants'][number]>): void {
    this.change({ grants: this.folder().grants.map((g, i) => (i === at ? { ...g, ...changes } : g)) });
  }
  protected addGrant(): void {
    const role = this.roles().find((one) => one.title.trim() !== '')?.code ?? null;
    const principalId = role === null ? (this.parts.principalOptions()[0]?.value ?? null) : null;
    if (role === null && principalId === null) return;
    this.change({ grants: [...this.folder().grants, { principalId, role, profile: 'reader', from: null, until: null }] });
  }
  protected dropGrant(at: number): void {
    this.change({ grants: this.folder().grants.filter((_, i) => i !== at) });
  }

  protected ready(at: number, changes: Partial<ReadyTitle>): void {
    this.change({ readyTitles: this.folder().readyTitles.map((t, i) => (i === at ? { ...t, ...changes } : t)) });
  }
  protected addReady(): void {
    this.change({ readyTitles: [...this.folder().readyTitles, { text: '', date: 'none', recordType: null }] });
  }
  protected dropReady(at: number): void {
    this.change({ readyTitles: this.folder().readyTitles.filter((_, i) => i !== at) });
  }

  protected setTypes(types: string[]): void {
    this.change({ types: types.length > 0 ? types : null });
  }
  protected setLevel(level: number): void {
    this.change({ marking: level === 0 ? null : { level, caveats: this.folder().marking?.caveats ?? [] } });
  }
  protected setCaveats(text: string): void {
    const caveats = text
      .split(',')
      .map((c) => c.trim())
      .filter(Boolean);
    this.change({ marking: { level: this.folder().marking?.level ?? 0, caveats } });
  }
  protected setFacts(facts: FactValues): void {
    // A field that was emptied is a fact that is not given any more; one just chosen is still empty.
    const kept = this.given().flatMap((f) => (facts[f.code] === undefined ? [] : [[f.code, facts[f.code]!] as const]));
    this.change({ facts: Object.fromEntries(kept) as StencilFolderBody['facts'] });
  }
  protected give(code: string | null): void {
    const fact = this.parts.facts().find((f) => f.code === code);
    if (!fact) return;
    const first = fact.kind === 'yesNo' ? true : fact.kind === 'choice' ? (fact.choices?.[0] ?? '') : '';
    this.change({ facts: { ...this.folder().facts, [fact.code]: fact.many ? [] : first } as StencilFolderBody['facts'] });
  }
}

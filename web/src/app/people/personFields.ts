import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import { FormsModule } from '@angular/forms';
import type { GroupLine, PersonLine, Problem } from '@key-cellar/contract';
import { Choices } from '../kit/choices';
import { NumberField } from '../kit/numberField';
import { TextField } from '../kit/textField';

/** What is typed of a person. */
export interface Draft {
  readonly name: string;
  readonly login: string;
  readonly email: string;
  readonly level: number;
  readonly caveats: string;
  readonly groupIds: readonly string[];
}

export const emptyDraft: Draft = { name: '', login: '', email: '', level: 0, caveats: '', groupIds: [] };

export const draftOf = (p: PersonLine): Draft => ({
  name: p.name,
  login: p.login,
  email: p.email ?? '',
  level: p.clearance.level,
  caveats: p.clearance.caveats.join(', '),
  groupIds: p.groups.map((g) => g.id),
});

/** A draft as the server takes it. */
export const bodyOf = (d: Draft) => ({
  name: d.name.trim(),
  login: d.login.trim(),
  email: d.email.trim() || null,
  clearance: {
    level: d.level,
    caveats: d.caveats
      .split(',')
      .map((caveat) => caveat.trim())
      .filter(Boolean),
  },
  groupIds: [...d.groupIds],
});

/** The fields of a person: name, login, address, clearance and groups. */
@Component({
  selector: 'kc-person-fields',
  imports: [Choices, FormsModule, NumberField, TextField],
  template: `
    <kc-text-field
      field="person-name"
      label="Name"
      i18n-label
      [needed]="true"
      [maxlength]="200"
      [wrong]="wrong()['/name']"
      [value]="draft().name"
      (valueChange)="set({ name: $event })"
    />
    <kc-text-field
      field="person-login"
      label="Login"
      i18n-label
      [needed]="true"
      [mono]="true"
      [maxlength]="60"
      [wrong]="wrong()['/login']"
      [value]="draft().login"
      (valueChange)="set({ login: $event })"
    />
    <kc-text-field
      field="person-email"
      label="E-mail"
      i18n-label
      [maxlength]="200"
      [wrong]="wrong()['/email']"
      [value]="draft().email"
      (valueChange)="set({ email: $event })"
    />
    <kc-choices
      field="person-groups"
      label="Groups"
      i18n-label
      [options]="options()"
      [value]="draft().groupIds"
      (valueChange)="set({ groupIds: $event })"
    />
    <div class="two">
      <kc-number-field
        field="person-level"
        label="Clearance level"
        i18n-label
        [min]="0"
        [max]="9"
        [wrong]="wrong()['/clearance/level']"
        [value]="draft().level"
        (valueChange)="set({ level: $event })"
      />
      <kc-text-field
        field="person-caveats"
        label="Caveats, with commas between them"
        i18n-label
        [value]="draft().caveats"
        (valueChange)="set({ caveats: $event })"
      />
    </div>
  `,
  styles: `
    :host {
      display: contents;
    }
    .two {
      display: grid;
      grid-template-columns: 8rem 1fr;
      gap: 12px;
      align-items: end;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class PersonFields {
  readonly draft = input.required<Draft>();
  readonly groups = input.required<readonly GroupLine[]>();
  readonly problem = input<Problem | null>(null);
  readonly draftChange = output<Draft>();
  protected readonly options = computed(() => this.groups().flatMap((g) => (g.active ? [{ value: g.id, name: g.name }] : [])));
  protected readonly wrong = computed(() => Object.fromEntries((this.problem()?.fields ?? []).map((f) => [f.pointer, f.sentence])));

  protected set(change: Partial<Draft>): void {
    this.draftChange.emit({ ...this.draft(), ...change });
  }
}

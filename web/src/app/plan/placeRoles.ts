import { ChangeDetectionStrategy, Component, computed, inject, input, output, signal } from '@angular/core';
import { identity, stencils, type BroughtLine, type PlacePage, type Problem } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import type { Option } from '../kit/choice';
import { Api, toProblem } from '../kit/api';
import { ProblemNotice } from '../kit/notice';
import { Sheet } from '../kit/sheet';
import { BroughtList } from './broughtList';
import { RoleFields } from './roleFields';

/** Who has which role in the use of a stencil that a folder is, and naming another: their access goes along, and is shown first. */
@Component({
  selector: 'kc-place-roles',
  imports: [BroughtList, Button, ProblemNotice, RoleFields, Sheet],
  template: `
    @for (role of roles(); track role.code; let last = $last) {
      {{ role.title }}: <b [class.madder]="!role.name">{{ role.name ?? labels.nobody }}</b>{{ last ? '' : ' · ' }}
    }
    @if (mayName()) {
      <button type="button" (click)="begin()" i18n>change</button>
    }
    <kc-sheet [(open)]="open" heading="Who has which role" i18n-heading [width]="560">
      <div class="form">
        <p i18n>Access that a role gives goes from whoever had it to whoever has it now, here and in the folders inside.</p>
        <kc-role-fields
          [roles]="roles()"
          [people]="people()"
          [values]="values()"
          (valuesChange)="values.set($event); tried.set(null)"
          prefix="place-role-"
        />
        <kc-problem [problem]="problem()" />
        @if (tried(); as line) {
          <kc-brought-list [lines]="[line]" />
        }
        <div class="acts">
          <p-button
            severity="secondary"
            [outlined]="true"
            [disabled]="busy() || !complete()"
            label="Try it"
            i18n-label
            (onClick)="name(true)"
          />
          <p-button [disabled]="busy() || tried()?.outcome !== 'done'" label="Name them" i18n-label (onClick)="name(false)" />
        </div>
      </div>
    </kc-sheet>
  `,
  styles: `
    button {
      border: 0;
      background: none;
      padding: 0 4px;
      min-height: 24px;
      color: var(--ink-2);
      font-size: 12.5px;
      text-decoration: underline;
      cursor: pointer;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class PlaceRoles {
  protected readonly labels = { nobody: $localize`nobody yet` };
  private readonly api = inject(Api);
  readonly place = input.required<PlacePage>();
  readonly changed = output();

  protected readonly roles = computed(() => this.place().stencil?.roles ?? []);
  protected readonly mayName = computed(() => this.place().rights.includes('grant'));
  protected readonly open = signal(false);
  protected readonly people = signal<readonly Option<string>[]>([]);
  protected readonly values = signal<Readonly<Record<string, string>>>({});
  protected readonly tried = signal<BroughtLine | null>(null);
  protected readonly busy = signal(false);
  protected readonly problem = signal<Problem | null>(null);
  protected readonly complete = computed(() => this.roles().every((role) => this.values()[role.code]));

  protected begin(): void {
    this.values.set(
      Object.fromEntries(this.roles().flatMap(({ code, principalId }) => (principalId === null ? [] : [[code, principalId]]))),
    );
    this.tried.set(null);
    this.problem.set(null);
    this.open.set(true);
    this.api.call(identity.people).subscribe({
      next: ({ people }) => this.people.set(people.map((p) => ({ value: p.id, name: p.name }))),
      error: (error: unknown) => this.problem.set(toProblem(error)),
    });
  }

  protected name(dryRun: boolean): void {
    this.busy.set(true);
    this.problem.set(null);
    this.api.call(stencils.nameRoles, { params: { id: this.place().id }, body: { roles: { ...this.values() }, dryRun } }).subscribe({
      next: (line) => {
        this.busy.set(false);
        if (dryRun) this.tried.set(line);
        else {
          this.open.set(false);
          this.changed.emit();
        }
      },
      error: (error: unknown) => {
        this.busy.set(false);
        this.problem.set(toProblem(error));
      },
    });
  }
}

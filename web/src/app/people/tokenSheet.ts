import { ChangeDetectionStrategy, Component, computed, inject, input, linkedSignal, model, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { programs, scopes, type ProgramLine, type Scope } from '@key-cellar/contract';
import { civilDate, formatCivilDate } from '@key-cellar/core/calendar';
import { Button } from 'primeng/button';
import { Api } from '../kit/api';
import { Choice } from '../kit/choice';
import { DateField } from '../kit/dateField';
import { Doing } from '../kit/doing';
import { LinkOnce } from '../kit/linkOnce';
import { ProblemNotice } from '../kit/notice';
import { REPOSITORY_DAY } from '../kit/repositoryDay';
import { Sheet } from '../kit/sheet';
import { TextField } from '../kit/textField';

const usualDays = 90;

const titles: Readonly<Record<string, string>> = {
  plan: $localize`Plan`,
  stencils: $localize`Stencils`,
  schedule: $localize`Schedule`,
  criteria: $localize`Criteria`,
  receiving: $localize`Receiving`,
  records: $localize`Records`,
  setup: $localize`Record types and facts`,
  holds: $localize`Holds`,
  docket: $localize`Docket`,
  steps: $localize`Steps and questions`,
  ledger: $localize`Ledger`,
  fixity: $localize`Fixity`,
  reports: $localize`Overviews and search`,
  access: $localize`Access`,
  exchange: $localize`Packages and tables`,
  scim: $localize`People and groups, from a directory (SCIM)`,
};

/** Makes a token for a program: what it is for, area by area, and until when. It is shown once. */
@Component({
  selector: 'kc-token-sheet',
  imports: [Button, Choice, DateField, FormsModule, LinkOnce, ProblemNotice, Sheet, TextField],
  template: `
    <kc-sheet [(open)]="open" heading="Make a token" i18n-heading>
      @if (made(); as token) {
        <kc-link-once [address]="token">
          <ng-container i18n>Give this to the program, and to nobody else. It is shown only now.</ng-container>
        </kc-link-once>
        <p-button label="Done" i18n-label (onClick)="open.set(false)" />
      } @else {
        <form class="form" (ngSubmit)="make()">
          <kc-choice
            field="token-program"
            label="Program"
            i18n-label
            [options]="options()"
            [value]="programId()"
            (valueChange)="programId.set($event)"
          />
          <kc-text-field
            field="token-name"
            label="What it is used for"
            i18n-label
            [needed]="true"
            [maxlength]="80"
            [value]="name()"
            (valueChange)="name.set($event)"
          />
          <kc-date-field field="token-until" label="Until" i18n-label [needed]="true" [value]="until()" (valueChange)="until.set($event)" />
          <table class="frame">
            <caption class="sr" i18n>
              What it may ask and do
            </caption>
            <thead>
              <tr>
                <th i18n>area</th>
                <th i18n>ask</th>
                <th i18n>change</th>
              </tr>
            </thead>
            <tbody>
              @for (area of areas; track area.area) {
                <tr>
                  <td>{{ area.title }}</td>
                  @for (scope of area.scopes; track $index) {
                    <td>
                      @if (scope) {
                        <input
                          type="checkbox"
                          [attr.aria-label]="scope"
                          [ngModel]="chosen().has(scope)"
                          [ngModelOptions]="{ standalone: true }"
                          (ngModelChange)="choose(scope, $event)"
                        />
                      }
                    </td>
                  }
                </tr>
              }
            </tbody>
          </table>
          <kc-problem [problem]="doing.problem()" />
          <p-button type="submit" [disabled]="doing.busy() || !ready()" label="Make it" i18n-label />
        </form>
      }
    </kc-sheet>
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class TokenSheet {
  private readonly api = inject(Api);
  private readonly today = inject(REPOSITORY_DAY);
  readonly open = model.required<boolean>();
  readonly programs = input.required<readonly ProgramLine[]>();
  readonly changed = output();
  protected readonly areas = [...new Set(scopes.map((scope) => scope.split('.')[0]!))].map((area) => ({
    area,
    title: titles[area]!,
    scopes: ['read', 'act'].map((what) => scopes.find((scope) => scope === `${area}.${what}`) ?? null),
  }));
  protected readonly options = computed(() => this.programs().map(({ id, name }) => ({ value: id, name })));
  protected readonly programId = linkedSignal<string | null>(() => this.options()[0]?.value ?? null);
  protected readonly name = signal('');
  protected readonly until = linkedSignal(() => (this.today() ? formatCivilDate(civilDate(this.today()) + usualDays) : ''));
  protected readonly chosen = signal<ReadonlySet<Scope>>(new Set());
  protected readonly made = signal('');
  protected readonly doing = new Doing();
  protected readonly ready = computed(
    () => this.programId() !== null && this.name().trim() !== '' && this.until() !== '' && this.chosen().size > 0,
  );

  protected choose(scope: Scope, chosen: boolean): void {
    const all = new Set(this.chosen());
    if (chosen) all.add(scope);
    else all.delete(scope);
    this.chosen.set(all);
  }

  protected make(): void {
    const body = { name: this.name().trim(), scopes: [...this.chosen()], until: this.until() };
    this.doing.run(this.api.call(programs.makeToken, { params: { id: this.programId()! }, body }), ({ token }) => {
      this.changed.emit();
      this.made.set(token);
    });
  }
}

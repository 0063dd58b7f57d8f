import { ChangeDetectionStrategy, Component, computed, inject, input, linkedSignal, model, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { federation, people, type BodyOf, type ProviderLine, type ResponseOf } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { Api } from '../kit/api';
import { Choice } from '../kit/choice';
import { Doing } from '../kit/doing';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { Sheet } from '../kit/sheet';
import { TextField } from '../kit/textField';

type Details = BodyOf<typeof federation.addProvider>;

const begun: Details = {
  ...{ name: '', issuer: 'https://', clientId: '', clientSecret: '', groupsClaim: 'groups', groups: [] },
  ...{ newcomers: false, byEmail: true, bringsFactor: false, active: true },
};

/** A provider of identities: where it is, as whom we ask it, and what its word counts for. It can be asked what it is before anything is kept. */
@Component({
  selector: 'kc-provider-sheet',
  imports: [Button, Choice, FormsModule, ProblemNotice, Sheet, TextField],
  template: `
    <kc-sheet [(open)]="open" [heading]="provider()?.name ?? labels.add" [width]="560">
      @if (added(); as made) {
        <p i18n>Added. Register this address at the provider as where it may send people back; then they can sign in.</p>
        <code class="wrap">{{ made }}</code>
        <p-button label="Done" i18n-label (onClick)="open.set(false)" />
      } @else {
        <form class="form" (ngSubmit)="save()">
          <kc-text-field
            field="provider-name"
            label="Name, as the sign-in page says it"
            i18n-label
            [needed]="true"
            [maxlength]="80"
            [wrong]="doing.wrong()['/name']"
            [value]="draft().name"
            (valueChange)="set({ name: $event })"
          />
          <kc-text-field
            field="provider-issuer"
            label="Issuer"
            i18n-label
            [needed]="true"
            [maxlength]="400"
            [wrong]="doing.wrong()['/issuer']"
            [value]="draft().issuer"
            (valueChange)="set({ issuer: $event }); said.set(null)"
          />
          <div>
            <p-button
              type="button"
              size="small"
              severity="secondary"
              [outlined]="true"
              [disabled]="asking.busy() || draft().issuer.length < 9"
              label="Ask it what it is"
              i18n-label
              (onClick)="ask()"
            />
          </div>
          @if (said(); as answer) {
            <div class="said" role="status">
              @for (fact of answer.facts; track fact.what) {
                <p>
                  <span class="quiet small line">{{ fact.what }}</span><code class="wrap">{{ fact.said }}</code>
                </p>
              }
              @for (problem of answer.problems; track problem) {
                <p class="madder">{{ problem }}</p>
              }
              @if (answer.reached && answer.problems.length === 0) {
                <p i18n>It is a provider, and says all that it should.</p>
              }
            </div>
          }
          <kc-problem [problem]="asking.problem()" />
          <kc-text-field
            field="provider-client"
            label="Client id there"
            i18n-label
            [needed]="true"
            [maxlength]="200"
            [value]="draft().clientId"
            (valueChange)="set({ clientId: $event })"
          />
          <div class="field">
            <label for="provider-secret" i18n>Client secret</label>
            <input
              pInputText
              class="p-inputtext"
              id="provider-secret"
              name="secret"
              type="password"
              autocomplete="off"
              maxlength="500"
              [placeholder]="provider()?.hasSecret && !elsewhere() ? labels.kept : ''"
              [ngModel]="draft().clientSecret ?? ''"
              (ngModelChange)="set({ clientSecret: $event || (provider() ? null : '') })"
            />
            @if (provider()?.hasSecret && elsewhere()) {
              <span class="quiet" i18n
                >The secret was told to {{ provider()!.issuer }}, and to nobody else: type the one of this issuer.</span
              >
            }
          </div>
          @if (provider(); as p) {
            <div class="field">
              <span class="quiet" i18n>Where it is to send people back, registered there</span>
              <code class="wrap">{{ p.redirectUri }}</code>
            </div>
          }
          <fieldset>
            <legend i18n>Who gets in</legend>
            <label class="check">
              <input type="checkbox" name="byEmail" [ngModel]="draft().byEmail" (ngModelChange)="set({ byEmail: $event })" />
              <span i18n>People here whose address it has verified, the first time they come</span>
            </label>
            <label class="check">
              <input type="checkbox" name="newcomers" [ngModel]="draft().newcomers" (ngModelChange)="set({ newcomers: $event })" />
              <span i18n>Everybody else that it knows: they are added, without any access of their own</span>
            </label>
            <label class="check">
              <input type="checkbox" name="bringsFactor" [ngModel]="draft().bringsFactor" (ngModelChange)="set({ bringsFactor: $event })" />
              <span i18n>A second factor that it asked for counts here</span>
            </label>
          </fieldset>
          <fieldset>
            <legend i18n>Groups</legend>
            <p class="quiet small" i18n>
              Whenever somebody signs in by it, they are put into these groups, or taken out of them, as it says. Other groups stay as they
              are.
            </p>
            <kc-text-field
              field="provider-claim"
              label="Claim that names groups"
              i18n-label
              [maxlength]="100"
              [wrong]="doing.wrong()['/groupsClaim']"
              [value]="draft().groupsClaim ?? ''"
              (valueChange)="set({ groupsClaim: $event })"
            />
            @for (row of draft().groups; track $index) {
              <div class="row">
                <kc-text-field
                  [field]="'value-' + $index"
                  label="Group there"
                  i18n-label
                  [maxlength]="200"
                  [value]="row.value"
                  (valueChange)="setGroup($index, { value: $event })"
                />
                <kc-choice
                  [field]="'group-' + $index"
                  label="Group here"
                  i18n-label
                  [options]="groups()"
                  [value]="row.groupId || null"
                  (valueChange)="setGroup($index, { groupId: $event })"
                />
                <button type="button" class="link" [attr.aria-label]="labels.drop" (click)="dropGroup($index)" i18n>remove</button>
              </div>
            }
            <div>
              <p-button
                type="button"
                size="small"
                severity="secondary"
                [text]="true"
                label="Add a group"
                i18n-label
                (onClick)="addGroup()"
              />
            </div>
          </fieldset>
          @if (provider()) {
            <label class="check">
              <input type="checkbox" name="active" [ngModel]="draft().active" (ngModelChange)="set({ active: $event })" />
              <span i18n>In use: people can sign in by it</span>
            </label>
          }
          <kc-problem [problem]="doing.problem()" />
          <p-button type="submit" [disabled]="doing.busy() || !ready()" [label]="provider() ? labels.save : labels.add" />
        </form>
      }
    </kc-sheet>
  `,
  styles: `
    fieldset {
      border: 0;
      padding: 0;
      margin: 0;
      display: grid;
      gap: 6px;
    }
    legend {
      padding: 0;
      margin-bottom: 4px;
      font-weight: 600;
    }
    .check {
      display: flex;
      gap: 8px;
      align-items: baseline;
    }
    .row {
      display: grid;
      grid-template-columns: 1fr 1fr auto;
      gap: 8px;
      align-items: end;
    }
    .line {
      display: block;
    }
    .wrap {
      overflow-wrap: anywhere;
    }
    .said {
      padding: 8px 12px;
      border: 1px solid var(--line);
      background: var(--surface);
    }
    .link {
      font: inherit;
      padding: 0 0 8px;
      border: 0;
      background: none;
      color: var(--ink-2);
      text-decoration: underline;
      cursor: pointer;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class ProviderSheet {
  protected readonly labels = {
    add: $localize`Add a provider`,
    save: $localize`Save`,
    kept: $localize`the one that is kept`,
    drop: $localize`Remove this group`,
  };
  private readonly api = inject(Api);
  readonly open = model.required<boolean>();
  /** Null: a new one. */
  readonly provider = input.required<ProviderLine | null>();
  readonly changed = output();
  private readonly arranged = loaded(() => this.api.call(people.list));
  protected readonly groups = computed(() =>
    (this.arranged.value()?.groups ?? []).flatMap((g) => (g.active && !g.everyone ? [{ value: g.id, name: g.name }] : [])),
  );
  protected readonly draft = linkedSignal<Details>(() => {
    const p = this.provider();
    if (!p) return begun;
    const { name, issuer, clientId, groupsClaim, newcomers, byEmail, bringsFactor, active } = p;
    const groups = p.groups.map(({ value, group }) => ({ value, groupId: group.id }));
    return { name, issuer, clientId, clientSecret: null, groupsClaim, groups, newcomers, byEmail, bringsFactor, active };
  });
  protected readonly doing = new Doing();
  protected readonly asking = new Doing();
  protected readonly said = signal<ResponseOf<typeof federation.tryProvider> | null>(null);
  /** Where a provider that was just added is to send people back. */
  protected readonly added = signal('');
  /** Whether what is said here leads to another issuer than the one that was told the secret. */
  protected readonly elsewhere = computed(() => this.provider() !== null && this.provider()!.issuer !== this.draft().issuer.trim());
  protected readonly ready = computed(() => {
    const { name, issuer, clientId, groups } = this.draft();
    return [name, issuer, clientId].every((text) => text.trim() !== '') && groups.every((g) => g.value.trim() !== '' && g.groupId !== '');
  });

  protected set(changes: Partial<Details>): void {
    this.draft.update((draft) => ({ ...draft, ...changes }));
  }

  protected setGroup(at: number, changes: Partial<Details['groups'][number]>): void {
    this.set({ groups: this.draft().groups.map((row, i) => (i === at ? { ...row, ...changes } : row)) });
  }

  protected addGroup(): void {
    this.set({ groups: [...this.draft().groups, { value: '', groupId: '' }] });
  }

  protected dropGroup(at: number): void {
    this.set({ groups: this.draft().groups.filter((_, i) => i !== at) });
  }

  protected ask(): void {
    this.asking.run(this.api.call(federation.tryProvider, { body: { issuer: this.draft().issuer.trim() } }), (said) => this.said.set(said));
  }

  protected save(): void {
    const provider = this.provider();
    const body = { ...this.draft(), groupsClaim: this.draft().groupsClaim?.trim() || null };
    if (provider) {
      const call = this.api.call(federation.changeProvider, {
        params: { id: provider.id },
        body: { ...body, revision: provider.revision },
      });
      this.doing.run(call, () => {
        this.changed.emit();
        this.open.set(false);
      });
    } else {
      this.doing.run(this.api.call(federation.addProvider, { body }), ({ redirectUri }) => {
        this.changed.emit();
        this.added.set(redirectUri);
      });
    }
  }
}

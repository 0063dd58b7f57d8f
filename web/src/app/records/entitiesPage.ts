import { ChangeDetectionStrategy, Component, computed, DestroyRef, inject, input, signal } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import { setup, type Problem } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { InputText } from 'primeng/inputtext';
import { Tooltip } from 'primeng/tooltip';
import { debounceTime } from 'rxjs';
import { toSignal } from '@angular/core/rxjs-interop';
import { Session } from '../identity/index';
import { Api, toProblem } from '../kit/api';
import { Keys } from '../kit/keys';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { Sheet } from '../kit/sheet';
import { CountPipe, DayPipe } from '../kit/words';
import { TextField } from '../kit/textField';
import { LongTextField } from '../kit/longTextField';
import { SetupNav } from './setupNav';

/** Parties, or business objects: whom and what records are about. */
@Component({
  selector: 'kc-entities',
  imports: [
    LongTextField,
    TextField,
    Button,
    CountPipe,
    DayPipe,
    FormsModule,
    InputText,
    ProblemNotice,
    RouterLink,
    SetupNav,
    Sheet,
    Tooltip,
  ],
  template: `
    <div class="page">
      <div class="page-head">
        <div>
          @if (kind() === 'party') {
            <h1 i18n>Parties</h1>
            <p class="lede" i18n>
              External people and bodies that records are about: tenants, contractors, customers. What happens to one starts the clocks of
              what refers to it.
            </p>
          } @else {
            <h1 i18n>Business objects</h1>
            <p class="lede" i18n>
              Things that records are about: craft, plots, contracts. What happens to one starts the clocks of what refers to it.
            </p>
          }
        </div>
        @if (session.may('edit')) {
          <div class="acts"><p-button label="Add one" i18n-label pTooltip="n" tooltipPosition="bottom" (onClick)="begin()" /></div>
        }
      </div>
      <kc-setup-nav />
      <input
        pInputText
        type="search"
        class="narrow"
        placeholder="Name or number"
        i18n-placeholder
        aria-label="Narrow the list"
        i18n-aria-label
        [ngModel]="text()"
        (ngModelChange)="text.set($event)"
      />
      <kc-problem [problem]="page.problem()" />
      @if (page.value(); as p) {
        @if (p.entities.length === 0) {
          <div class="empty" i18n><b>Nothing of that name</b>Add one, or let a fact point at it when something is filed.</div>
        } @else {
          <table class="frame">
            <thead>
              <tr>
                <th i18n>name</th>
                <th i18n>number elsewhere</th>
                <th class="num" i18n>records</th>
              </tr>
            </thead>
            <tbody>
              @for (e of p.entities; track e.id) {
                <tr>
                  <td>
                    <a [routerLink]="['/setup/about', e.id]">{{ e.name }}</a>
                    @if (e.retiredOn) {
                      <span class="quiet small" i18n>retired {{ e.retiredOn | day }}</span>
                    }
                  </td>
                  <td>
                    <code>{{ e.code }}</code>
                  </td>
                  <td class="num">{{ e.records | count }}</td>
                </tr>
              }
            </tbody>
          </table>
          @if (p.more) {
            <p class="quiet" i18n>There are more; type to search.</p>
          }
        }
      }
      <kc-sheet [(open)]="open" [heading]="kind() === 'party' ? labels.addParty : labels.addObject">
        <form class="form" (ngSubmit)="make()">
          <kc-text-field
            field="entity-name"
            label="Name"
            i18n-label
            [needed]="true"
            [maxlength]="200"
            [wrong]="nameProblem() ?? undefined"
            [value]="name()"
            (valueChange)="name.set($event)"
          />
          <kc-text-field
            field="entity-code"
            label="Number elsewhere"
            i18n-label
            [mono]="true"
            [maxlength]="60"
            [value]="code()"
            (valueChange)="code.set($event)"
          />
          <kc-long-text-field
            field="entity-note"
            label="Note"
            i18n-label
            [rows]="3"
            [maxlength]="4000"
            [value]="note()"
            (valueChange)="note.set($event)"
          />
          <kc-problem [problem]="problem()" />
          <p-button type="submit" [disabled]="busy() || !name().trim()" label="Add" i18n-label />
        </form>
      </kc-sheet>
    </div>
  `,
  styles: `
    .narrow {
      width: 320px;
      margin-bottom: 10px;
    }
    td a {
      text-decoration: none;
    }
    td a:hover {
      text-decoration: underline;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class EntitiesPage {
  protected readonly labels = {
    addParty: $localize`Add a party`,
    addObject: $localize`Add a business object`,
  };
  private readonly api = inject(Api);
  private readonly router = inject(Router);
  protected readonly session = inject(Session);
  /** From the route. */
  readonly kind = input.required<'party' | 'object'>();
  protected readonly text = signal('');
  private readonly asked = toSignal(toObservable(this.text).pipe(debounceTime(150)), { initialValue: '' });
  protected readonly page = loaded(() => this.api.call(setup.entities, { query: { kind: this.kind(), text: this.asked() } }));
  protected readonly open = signal(false);
  protected readonly name = signal('');
  protected readonly code = signal('');
  protected readonly note = signal('');
  protected readonly busy = signal(false);
  protected readonly problem = signal<Problem | null>(null);
  protected readonly nameProblem = computed(() => this.problem()?.fields?.find((f) => f.pointer === '/name')?.sentence);

  constructor() {
    const remove = inject(Keys).add({ n: [$localize`add one`, () => this.session.may('edit') && this.begin()] });
    inject(DestroyRef).onDestroy(remove);
  }

  protected begin(): void {
    this.name.set(this.text());
    this.code.set('');
    this.note.set('');
    this.problem.set(null);
    this.open.set(true);
  }

  protected make(): void {
    this.busy.set(true);
    this.problem.set(null);
    const body = { kind: this.kind(), name: this.name().trim(), code: this.code(), note: this.note() };
    this.api.call(setup.makeEntity, { body }).subscribe({
      next: ({ id }) => {
        this.busy.set(false);
        this.open.set(false);
        void this.router.navigate(['/setup/about', id]);
      },
      error: (error: unknown) => {
        this.busy.set(false);
        this.problem.set(toProblem(error));
      },
    });
  }
}

import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { RouterLink } from '@angular/router';
import { setup, type Problem } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { Session } from '../identity/index';
import { Api, toProblem } from '../kit/api';
import { Lifeline } from '../kit/lifeline';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { Sheet } from '../kit/sheet';
import { CountPipe, DayPipe } from '../kit/words';
import { outcomeNames } from '../kit/names';
import { TextField } from '../kit/textField';
import { LongTextField } from '../kit/longTextField';
import { EventList } from '../schedule/index';
import { lifeOf } from './life';
import { SetupNav } from './setupNav';

/** One party or business object: what happened to it, and what is kept about it. */
@Component({
  selector: 'kc-entity',
  imports: [
    LongTextField,
    TextField,
    Button,
    CountPipe,
    DayPipe,
    EventList,
    FormsModule,
    Lifeline,
    ProblemNotice,
    RouterLink,
    SetupNav,
    Sheet,
  ],
  template: `
    <div class="page">
      <kc-problem [problem]="page.problem()" [whole]="!page.value()" />
      @if (page.value(); as p) {
        <nav class="crumbs" aria-label="Where" i18n-aria-label>
          @if (p.kind === 'party') {
            <a routerLink="/setup/parties" i18n>Parties</a>
          } @else {
            <a routerLink="/setup/objects" i18n>Business objects</a>
          }
        </nav>
        <div class="page-head">
          <div>
            <h1>{{ p.name }}</h1>
            <p class="lede">
              @if (p.code) {
                <code>{{ p.code }}</code> ·
              }
              <ng-container i18n
                ><b>{p.records, plural, =1 {one record refers} other {{{ p.records }} records refer}}</b> to it</ng-container
              >
              @if (p.retiredOn) {
                · <b i18n>retired {{ p.retiredOn | day }}</b>
              }
            </p>
            @if (p.note) {
              <p class="note">{{ p.note }}</p>
            }
          </div>
          @if (session.may('edit')) {
            <div class="acts"><p-button severity="secondary" [outlined]="true" label="Change" i18n-label (onClick)="begin()" /></div>
          }
        </div>
        <kc-setup-nav />
        <div class="two">
          <section class="panel">
            <h2 i18n>What happened</h2>
            <kc-event-list kind="entity" [id]="p.id" [mayRecord]="session.may('edit')" (changed)="page.reload()" />
          </section>
          <section>
            <h2 i18n>What is kept about it</h2>
            @if (p.newest.length === 0) {
              <div class="empty" i18n><b>Nothing you may see</b>Records whose facts point here are listed.</div>
            } @else {
              <table class="frame">
                <thead>
                  <tr>
                    <th i18n>record</th>
                    <th i18n>until</th>
                    <th class="life" i18n>life</th>
                  </tr>
                </thead>
                <tbody>
                  @for (r of p.newest; track r.id) {
                    <tr>
                      <td>
                        <a [routerLink]="['/records', r.id]"
                          ><code>{{ r.number }}</code> {{ r.title }}</a
                        >
                      </td>
                      <td class="nowrap">
                        @if (r.dueOn) {
                          {{ r.dueOn | day }}
                        } @else {
                          <span class="quiet">{{ outcomes[r.outcome] }}</span>
                        }
                      </td>
                      <td class="life"><kc-lifeline [life]="life(r)" [today]="session.today()" size="cell" /></td>
                    </tr>
                  }
                </tbody>
              </table>
              @if (p.records > p.newest.length) {
                <p class="quiet" i18n>The newest {{ p.newest.length }} of {{ p.records | count }}.</p>
              }
            }
          </section>
        </div>
        <kc-sheet [(open)]="open" heading="Change" i18n-heading>
          <form class="form" (ngSubmit)="save()">
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
            <label
              ><input type="checkbox" name="retired" [ngModel]="retired()" (ngModelChange)="retired.set($event)" />
              <ng-container i18n>retired: nothing new points at it</ng-container></label
            >
            <kc-problem [problem]="problem()" />
            <p-button type="submit" [disabled]="busy() || !name().trim()" label="Change it" i18n-label />
          </form>
        </kc-sheet>
      }
    </div>
  `,
  styles: `
    .two {
      display: grid;
      grid-template-columns: minmax(260px, 1fr) minmax(0, 2.4fr);
      gap: 16px;
      align-items: start;
    }
    section.panel {
      padding: 10px 14px;
    }
    h2 {
      margin-bottom: 6px;
    }
    td a {
      text-decoration: none;
    }
    td a:hover {
      text-decoration: underline;
    }
    .life {
      width: 240px;
    }
    .note {
      margin-top: 4px;
    }
    @media (max-width: 900px) {
      .two {
        grid-template-columns: 1fr;
      }
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class EntityPage {
  protected readonly outcomes = outcomeNames;
  private readonly api = inject(Api);
  protected readonly session = inject(Session);
  readonly id = input.required<string>();
  protected readonly page = loaded(() => this.api.call(setup.entity, { params: { id: this.id() } }));
  protected readonly life = lifeOf;
  protected readonly open = signal(false);
  protected readonly name = signal('');
  protected readonly code = signal('');
  protected readonly note = signal('');
  protected readonly retired = signal(false);
  protected readonly busy = signal(false);
  protected readonly problem = signal<Problem | null>(null);
  protected readonly nameProblem = computed(() => this.problem()?.fields?.find((f) => f.pointer === '/name')?.sentence);

  protected begin(): void {
    const p = this.page.value()!;
    this.name.set(p.name);
    this.code.set(p.code);
    this.note.set(p.note);
    this.retired.set(p.retiredOn !== null);
    this.problem.set(null);
    this.open.set(true);
  }

  protected save(): void {
    this.busy.set(true);
    this.problem.set(null);
    const body = {
      revision: this.page.value()!.revision,
      name: this.name().trim(),
      code: this.code(),
      note: this.note(),
      retired: this.retired(),
    };
    this.api.call(setup.changeEntity, { params: { id: this.id() }, body }).subscribe({
      next: () => {
        this.busy.set(false);
        this.open.set(false);
        this.page.reload();
      },
      error: (error: unknown) => {
        this.busy.set(false);
        this.problem.set(toProblem(error));
      },
    });
  }
}

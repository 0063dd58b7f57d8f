import { ChangeDetectionStrategy, Component, computed, DestroyRef, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import { setup, type Problem } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { Tooltip } from 'primeng/tooltip';
import { Session } from '../identity/index';
import { Api, toProblem } from '../kit/api';
import { Keys } from '../kit/keys';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { Sheet } from '../kit/sheet';
import { CountPipe, DayPipe } from '../kit/words';
import { TextField } from '../kit/textField';
import { RecordsService } from './recordsService';
import { SetupNav } from './setupNav';

/** Record types: which facts records have. */
@Component({
  selector: 'kc-types',
  imports: [TextField, Button, CountPipe, DayPipe, FormsModule, ProblemNotice, RouterLink, SetupNav, Sheet, Tooltip],
  template: `
    <div class="page">
      <div class="page-head">
        <div>
          <h1 i18n>Record types</h1>
          <p class="lede" i18n>
            What is asked about a record when it is filed. A change makes a new version; what was filed before stays valid, and shows what
            it lacks.
          </p>
        </div>
        @if (session.may('arrange')) {
          <div class="acts"><p-button label="New record type" i18n-label pTooltip="n" tooltipPosition="bottom" (onClick)="begin()" /></div>
        }
      </div>
      <kc-setup-nav />
      <kc-problem [problem]="page.problem()" />
      @if (page.value(); as p) {
        <table class="frame">
          <thead>
            <tr>
              <th i18n>type</th>
              <th i18n>facts</th>
              <th class="num" i18n>records</th>
              <th class="num" i18n>with gaps</th>
              <th class="num" i18n>version</th>
            </tr>
          </thead>
          <tbody>
            @for (type of p.types; track type.code) {
              <tr [class.retired]="type.retiredOn">
                <td class="nowrap">
                  <a [routerLink]="['/setup/types', type.code]"
                    ><b>{{ type.title }}</b></a
                  >
                  @if (type.retiredOn) {
                    <span class="quiet small" i18n>retired {{ type.retiredOn | day }}</span>
                  }
                </td>
                <td>
                  @for (fact of type.facts; track fact.code; let last = $last) {
                    <span [class.quiet]="!fact.required">{{ fact.title }}</span>{{ last ? '' : ', ' }}
                  }
                </td>
                <td class="num">
                  <a [routerLink]="['/find']" [queryParams]="{ recordType: type.code }">{{ type.records | count }}</a>
                </td>
                <td class="num">
                  @if (type.gaps > 0) {
                    <a class="madder" [routerLink]="['/find']" [queryParams]="{ recordType: type.code, show: 'gaps' }">{{
                      type.gaps | count
                    }}</a>
                  } @else {
                    <span class="quiet">–</span>
                  }
                </td>
                <td class="num">{{ type.version }}</td>
              </tr>
            }
          </tbody>
        </table>
        <p class="quiet small" i18n>Required facts stand in full ink.</p>
      }
      <kc-sheet [(open)]="open" heading="New record type" i18n-heading>
        <form class="form" (ngSubmit)="make()">
          <kc-text-field
            field="type-title"
            label="Name"
            i18n-label
            [needed]="true"
            [maxlength]="80"
            [value]="title()"
            (valueChange)="title.set($event)"
          />
          <kc-text-field
            field="type-code"
            label="Code"
            i18n-label
            hint="Small letters, digits and hyphens. It never changes."
            i18n-hint
            [mono]="true"
            [needed]="true"
            [maxlength]="40"
            [value]="code()"
            (valueChange)="typed.set($event)"
          />
          <kc-problem [problem]="problem()" />
          <p-button type="submit" [disabled]="busy() || !title().trim() || !code()" label="Create" i18n-label />
        </form>
      </kc-sheet>
    </div>
  `,
  styles: `
    td a {
      text-decoration: none;
    }
    td a:hover {
      text-decoration: underline;
    }
    tr.retired td {
      color: var(--ink-2);
    }
    table + p {
      margin-top: 6px;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class TypesPage {
  private readonly api = inject(Api);
  private readonly router = inject(Router);
  private readonly service = inject(RecordsService);
  protected readonly session = inject(Session);
  protected readonly page = loaded(() => this.api.call(setup.types));
  protected readonly open = signal(false);
  protected readonly title = signal('');
  protected readonly typed = signal<string | null>(null);
  /** Suggested from the name until somebody types one. */
  protected readonly code = computed(
    () =>
      this.typed() ??
      this.title()
        .toLowerCase()
        .normalize('NFD')
        .replace(/[^a-z0-9]+/g, '-')
        .replace(/^[^a-z]+|-+$/g, '')
        .slice(0, 40),
  );
  protected readonly busy = signal(false);
  protected readonly problem = signal<Problem | null>(null);

  constructor() {
    const remove = inject(Keys).add({ n: [$localize`create a record type`, () => this.session.may('arrange') && this.begin()] });
    inject(DestroyRef).onDestroy(remove);
  }

  protected begin(): void {
    this.title.set('');
    this.typed.set(null);
    this.problem.set(null);
    this.open.set(true);
  }

  protected make(): void {
    this.busy.set(true);
    const code = this.code();
    this.api.call(setup.makeType, { body: { code, title: this.title().trim(), facts: [] } }).subscribe({
      next: () => {
        this.busy.set(false);
        this.service.typesChanged();
        void this.router.navigate(['/setup/types', code]);
      },
      error: (error: unknown) => {
        this.busy.set(false);
        this.problem.set(toProblem(error));
      },
    });
  }
}

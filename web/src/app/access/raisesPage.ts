import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { RouterLink } from '@angular/router';
import { access, type Problem, type RaiseLine } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { Api, toProblem } from '../kit/api';
import { DateField } from '../kit/dateField';
import { loaded } from '../kit/loaded';
import { LongTextField } from '../kit/longTextField';
import { ProblemNotice } from '../kit/notice';
import { Sheet } from '../kit/sheet';
import { DayPipe } from '../kit/words';
import { AccessNav } from './accessNav';

const states: Readonly<Record<RaiseLine['state'], string>> = {
  open: $localize`waits`,
  approved: $localize`given`,
  refused: $localize`refused`,
  withdrawn: $localize`withdrawn`,
  over: $localize`over`,
};

/** Who asked for more access for some days; those who give access decide. */
@Component({
  selector: 'kc-raises',
  imports: [AccessNav, Button, DateField, DayPipe, LongTextField, ProblemNotice, RouterLink, Sheet],
  template: `
    <div class="page">
      <div class="page-head">
        <div>
          <h1 i18n>Asked for</h1>
          <p class="lede" i18n>
            More access for some days, for a reason. What is given ends by itself; nobody decides on what they asked for themselves.
          </p>
        </div>
      </div>
      <kc-access-nav />
      <kc-problem [problem]="page.problem()" />
      @if (page.value(); as p) {
        @if (p.raises.length === 0) {
          <div class="empty" i18n>
            <b>Nobody asked for more access</b>Who needs more at a place for some days asks for it on the page of the place.
          </div>
        } @else {
          <table class="frame">
            <thead>
              <tr>
                <th i18n>who</th>
                <th i18n>as</th>
                <th i18n>on</th>
                <th i18n>until</th>
                <th i18n>reason</th>
                <th i18n>state</th>
                <th><span class="sr" i18n>Acts</span></th>
              </tr>
            </thead>
            <tbody>
              @for (one of p.raises; track one.id) {
                <tr [class.past]="one.state !== 'open'">
                  <td>{{ one.person.name }}</td>
                  <td>{{ one.as }}</td>
                  <td>
                    <a [routerLink]="['/plan', one.place.id]"
                      ><code>{{ one.place.code }}</code> {{ one.place.title }}</a
                    >
                  </td>
                  <td class="num">{{ one.until | day }}</td>
                  <td class="why">{{ one.reason }}</td>
                  <td>
                    {{ states[one.state] }}
                    @if (one.decidedBy && one.state !== 'withdrawn') {
                      <span class="quiet small" i18n>by {{ one.decidedBy }}</span>
                    }
                    @if (one.note) {
                      <span class="quiet small note">{{ one.note }}</span>
                    }
                  </td>
                  <td class="do">
                    @if (one.mayDecide) {
                      <p-button size="small" label="Decide" i18n-label (onClick)="begin(one)" />
                    }
                  </td>
                </tr>
              }
            </tbody>
          </table>
        }
      }
    </div>
    <kc-sheet [open]="raise() !== null" (openChange)="$event || raise.set(null)" [heading]="heading()">
      @if (raise(); as r) {
        <form class="form" novalidate (submit)="$event.preventDefault(); decide(true)">
          <p>{{ r.reason }}</p>
          <kc-date-field
            field="raise-end"
            label="Until, that day included"
            i18n-label
            [value]="until()"
            (valueChange)="until.set($event)"
          />
          <kc-long-text-field
            field="raise-note"
            label="Note for who asked"
            i18n-label
            [rows]="2"
            [maxlength]="2000"
            [value]="note()"
            (valueChange)="note.set($event)"
          />
          <kc-problem [problem]="problem()" />
          <div class="both">
            <p-button type="submit" [disabled]="busy() || until() === null" label="Give it" i18n-label />
            <p-button severity="secondary" [outlined]="true" [disabled]="busy()" label="Refuse" i18n-label (onClick)="decide(false)" />
          </div>
        </form>
      }
    </kc-sheet>
  `,
  styles: `
    td.why {
      max-width: 280px;
    }
    .note {
      display: block;
    }
    tr.past td {
      color: var(--ink-2);
    }
    td.do {
      text-align: end;
    }
    .both {
      display: flex;
      gap: 8px;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class RaisesPage {
  private readonly api = inject(Api);
  protected readonly states = states;
  protected readonly page = loaded(() => this.api.call(access.raises));
  protected readonly raise = signal<RaiseLine | null>(null);
  protected readonly until = signal<string | null>(null);
  protected readonly note = signal('');
  protected readonly busy = signal(false);
  protected readonly problem = signal<Problem | null>(null);
  protected readonly heading = computed(() => {
    const r = this.raise();
    return r ? $localize`${r.person.name}:who: as ${r.as}:profile: on ${r.place.code}:place:` : '';
  });

  protected begin(raise: RaiseLine): void {
    this.until.set(raise.until);
    this.note.set('');
    this.problem.set(null);
    this.raise.set(raise);
  }

  protected decide(approve: boolean): void {
    const { id } = this.raise()!;
    this.busy.set(true);
    this.problem.set(null);
    const body = { approve, note: this.note().trim(), ...(approve ? { until: this.until()! } : {}) };
    this.api.call(access.decideRaise, { params: { id }, body }).subscribe({
      next: () => {
        this.busy.set(false);
        this.raise.set(null);
        this.page.reload();
      },
      error: (error: unknown) => {
        this.busy.set(false);
        this.problem.set(toProblem(error));
      },
    });
  }
}

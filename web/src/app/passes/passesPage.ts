import { ChangeDetectionStrategy, Component, inject, signal } from '@angular/core';
import { RouterLink } from '@angular/router';
import { passes, type PassLine, type Problem } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { AccessNav } from '../access/index';
import { Session } from '../identity/index';
import { Api, toProblem } from '../kit/api';
import { loaded } from '../kit/loaded';
import { LongTextField } from '../kit/longTextField';
import { ProblemNotice } from '../kit/notice';
import { Sheet } from '../kit/sheet';
import { CountPipe, DayPipe, InstantPipe } from '../kit/words';

const states: Readonly<Record<PassLine['state'], string>> = {
  open: $localize`open`,
  ended: $localize`ended`,
  used: $localize`all openings used`,
  revoked: $localize`revoked`,
  powerless: $localize`its maker may no longer`,
};

/** Visitor passes: for whom, to what, until when, how often opened; and their revoking. */
@Component({
  selector: 'kc-passes',
  imports: [AccessNav, Button, CountPipe, DayPipe, InstantPipe, LongTextField, ProblemNotice, RouterLink, Sheet],
  template: `
    <div class="page">
      <div class="page-head">
        <div>
          <h1 i18n>Visitor passes</h1>
          <p class="lede" i18n>
            Links for people without an account. Yours, and those to what you give access to. A pass gives no more than its maker may, and
            ends with it.
          </p>
        </div>
      </div>
      <kc-access-nav />
      <kc-problem [problem]="page.problem()" />
      @if (page.value(); as p) {
        @if (p.passes.length === 0) {
          <div class="empty" i18n><b>No passes</b>Make one from a record, from records that are marked in a list, or from a folder.</div>
        } @else {
          <table class="frame">
            <thead>
              <tr>
                <th i18n>for</th>
                <th i18n>to</th>
                <th i18n>by</th>
                <th i18n>until</th>
                <th i18n>opened</th>
                <th i18n>state</th>
                <th><span class="sr" i18n>Acts</span></th>
              </tr>
            </thead>
            <tbody>
              @for (pass of p.passes; track pass.id) {
                <tr [class.over]="pass.state !== 'open' && pass.state !== 'used'">
                  <td>
                    <b>{{ pass.visitor }}</b>
                    <span class="small quiet line">{{ pass.reason }}</span>
                  </td>
                  <td>
                    @if (pass.place; as place) {
                      <a [routerLink]="['/plan', place.id]"
                        ><code>{{ place.code }}</code> {{ place.title }}</a
                      >
                    } @else if (pass.records.length === 1) {
                      <a [routerLink]="['/records', pass.records[0]!.id]">{{ pass.records[0]!.name }}</a>
                    } @else {
                      <ng-container i18n>{{ pass.records.length | count }} records</ng-container>
                    }
                    <span class="small quiet line"
                      >{{ pass.copyOut ? labels.copies : labels.reading }}{{ pass.passphrase ? labels.passphrase : '' }}</span
                    >
                  </td>
                  <td>
                    {{ pass.madeBy.name }}<span class="small quiet line">{{ pass.madeOn | day }}</span>
                  </td>
                  <td>{{ pass.until | day }}</td>
                  <td>
                    {{ pass.openings === null ? (pass.opened | count) : labels.of(pass.opened, pass.openings) }}
                    @if (pass.lastOpened; as last) {
                      <span class="small quiet line">{{ last | instant }}</span>
                    }
                  </td>
                  <td>{{ states[pass.state] }}</td>
                  <td>
                    @if (
                      pass.state !== 'revoked' && pass.state !== 'ended' && (pass.madeBy.id === session.me()?.id || session.may('grant'))
                    ) {
                      <button type="button" class="link" (click)="start(pass)" i18n>revoke</button>
                    }
                  </td>
                </tr>
              }
            </tbody>
          </table>
        }
      }
    </div>
    <kc-sheet [open]="revoking() !== null" (openChange)="$event || revoking.set(null)" heading="Revoke the pass" i18n-heading>
      @if (revoking(); as pass) {
        <form class="form" (submit)="$event.preventDefault(); revoke(pass)">
          <p i18n>{{ pass.visitor }} sees nothing more from now on, also where the pass is open at this moment.</p>
          <kc-long-text-field
            field="revoke-pass"
            label="Reason"
            i18n-label
            [needed]="true"
            [rows]="2"
            [maxlength]="2000"
            [value]="reason()"
            (valueChange)="reason.set($event)"
          />
          <kc-problem [problem]="problem()" />
          <p-button type="submit" [disabled]="busy() || reason().trim().length < 3" label="Revoke the pass" i18n-label />
        </form>
      }
    </kc-sheet>
  `,
  styles: `
    td {
      vertical-align: top;
    }
    .line {
      display: block;
    }
    tr.over td {
      color: var(--ink-2);
    }
    .link {
      font: inherit;
      padding: 0;
      border: 0;
      background: none;
      text-decoration: underline;
      cursor: pointer;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class PassesPage {
  private readonly api = inject(Api);
  protected readonly session = inject(Session);
  protected readonly states = states;
  protected readonly labels = {
    copies: $localize`copies`,
    reading: $localize`reading only`,
    passphrase: $localize`, with a passphrase`,
    of: (opened: number, most: number) => $localize`${opened}:opened: of ${most}:openings:`,
  };
  protected readonly page = loaded(() => this.api.call(passes.list));
  protected readonly revoking = signal<PassLine | null>(null);
  protected readonly reason = signal('');
  protected readonly busy = signal(false);
  protected readonly problem = signal<Problem | null>(null);

  protected start(pass: PassLine): void {
    this.reason.set('');
    this.problem.set(null);
    this.revoking.set(pass);
  }

  protected revoke(pass: PassLine): void {
    this.busy.set(true);
    this.problem.set(null);
    this.api.call(passes.revoke, { params: { id: pass.id }, body: { reason: this.reason().trim() } }).subscribe({
      next: () => {
        this.busy.set(false);
        this.revoking.set(null);
        this.page.reload();
      },
      error: (error: unknown) => {
        this.busy.set(false);
        this.problem.set(toProblem(error));
      },
    });
  }
}

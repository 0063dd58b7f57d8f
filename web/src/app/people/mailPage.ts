import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { RouterLink } from '@angular/router';
import { people, type MailLine, type Problem } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { mailStates } from '../identity/index';
import { Api, toProblem } from '../kit/api';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { CountPipe, InstantPipe } from '../kit/words';
import { SetupNav } from '../records/index';

/** Mail that left or did not, for whoever sets up: what was refused, and what may have arrived, first. */
@Component({
  selector: 'kc-mail',
  imports: [Button, CountPipe, InstantPipe, ProblemNotice, RouterLink, SetupNav],
  template: `
    <div class="page">
      <div class="page-head">
        <div>
          <h1 i18n>Mail</h1>
          @if (page.value(); as p) {
            <p class="lede">
              @if (!p.on) {
                <ng-container i18n>No mail leaves: the server was started without SMTP_URL. Messages stay in Key Cellar.</ng-container>
              } @else {
                <ng-container i18n
                  >Leaves by <code>{{ p.server }}</code> as {{ p.from }}.</ng-container
                >
                @if (wrong() > 0) {
                  <b class="madder" i18n
                    >{wrong(), plural,
                      =1 {One did not arrive, or may not have}
                      other {{{ wrong() | count }} did not arrive, or may not have}

                    }.</b
                  >
                }
              }
            </p>
          }
        </div>
        @if (page.value()?.on) {
          <div class="acts">
            <p-button
              severity="secondary"
              [outlined]="true"
              [disabled]="busy()"
              label="Send yourself a mail"
              i18n-label
              (onClick)="test()"
            />
          </div>
        }
      </div>
      <kc-setup-nav />
      <kc-problem [problem]="problem() ?? page.problem()" />
      @if (done()) {
        <p role="status">{{ done() }}</p>
      }
      @if (page.value(); as p) {
        @if (p.mails.length === 0) {
          <div class="empty" i18n><b>No mail yet</b>What Key Cellar writes to people will be listed here, with what became of it.</div>
        } @else {
          <table class="frame">
            <thead>
              <tr>
                <th i18n>when</th>
                <th i18n>to</th>
                <th i18n>subject</th>
                <th i18n>state</th>
                <th><span class="sr" i18n>Acts</span></th>
              </tr>
            </thead>
            <tbody>
              @for (mail of p.mails; track mail.id) {
                <tr>
                  <td>{{ mail.at | instant }}</td>
                  <td>
                    <a [routerLink]="['/setup/people', mail.to.id]">{{ mail.to.name }}</a>
                    <span class="small quiet line">{{ mail.address }}</span>
                  </td>
                  <td>{{ mail.subject }}</td>
                  <td [class.madder]="mail.again || mail.state === 'returned'">
                    {{ states[mail.state] }}
                    @if (mail.problem) {
                      <span class="small quiet line">{{ mail.problem }}</span>
                    }
                  </td>
                  <td>
                    @if (mail.again) {
                      <button type="button" class="link" [disabled]="busy()" (click)="again(mail)" i18n>send again</button>
                    }
                  </td>
                </tr>
              }
            </tbody>
          </table>
        }
      }
    </div>
  `,
  styles: `
    td {
      vertical-align: top;
    }
    .line {
      display: block;
      overflow-wrap: anywhere;
    }
    .link {
      font: inherit;
      padding: 0;
      border: 0;
      background: none;
      text-decoration: underline;
      cursor: pointer;
      white-space: nowrap;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class MailPage {
  private readonly api = inject(Api);
  protected readonly states = mailStates;
  protected readonly page = loaded(() => this.api.call(people.mail));
  protected readonly wrong = computed(() => this.page.value()?.mails.filter((m) => m.again || m.state === 'returned').length ?? 0);
  protected readonly busy = signal(false);
  protected readonly problem = signal<Problem | null>(null);
  protected readonly done = signal('');

  protected test(): void {
    this.run(this.api.call(people.mailTest), $localize`It is on its way to you.`);
  }

  protected again(mail: MailLine): void {
    this.run(this.api.call(people.mailAgain, { params: { id: mail.id } }), $localize`It is on its way again.`);
  }

  private run(call: ReturnType<Api['call']>, said: string): void {
    this.busy.set(true);
    this.problem.set(null);
    this.done.set('');
    call.subscribe({
      next: () => {
        this.busy.set(false);
        this.done.set(said);
        this.page.reload();
      },
      error: (error: unknown) => {
        this.busy.set(false);
        this.problem.set(toProblem(error));
      },
    });
  }
}

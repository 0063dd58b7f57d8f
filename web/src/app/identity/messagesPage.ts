import { ChangeDetectionStrategy, Component, inject, signal } from '@angular/core';
import { RouterLink } from '@angular/router';
import { identity, steps, type Message, type Problem, type StepAnswer } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { Api, toProblem } from '../kit/api';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { answersTo } from '../kit/stepAnswers';
import { InstantPipe } from '../kit/words';
import { MailSheet } from './mailSheet';
import { mailStates } from './mailWords';
import { Session } from './session';

/** What Key Cellar wrote to a person, with what became of it by mail. */
@Component({
  selector: 'kc-messages',
  imports: [Button, MailSheet, RouterLink, InstantPipe, ProblemNotice],
  template: `
    <div class="page">
      <div class="page-head">
        <div>
          <h1 i18n>Messages</h1>
          <p class="lede" i18n>What Key Cellar has to tell you or to ask you.</p>
        </div>
        <div class="acts">
          <p-button
            severity="secondary"
            [outlined]="true"
            label="What comes by mail"
            i18n-label
            ariaHasPopup="dialog"
            (onClick)="choosing.set(true)"
          />
        </div>
      </div>
      <kc-problem [problem]="problem() ?? messages.problem()" />
      @if (said(); as sentence) {
        <p role="status" class="said">{{ sentence }}</p>
      }
      @if (messages.value(); as found) {
        @for (m of found.messages; track m.id) {
          <article class="panel" [class.unread]="!m.readAt">
            <h2>{{ m.subject }}</h2>
            <p class="quiet small">
              {{ m.sentAt | instant }}
              @if (m.mail; as mail) {
                · <ng-container i18n>by mail to {{ mail.address }}: {{ mailStates[mail.state] }}</ng-container>
              }
            </p>
            <p class="body">{{ m.body }}</p>
            <p class="acts">
              @if (m.ask; as ask) {
                @for (choice of answersTo(ask.kind); track choice.value) {
                  <p-button
                    size="small"
                    severity="secondary"
                    [outlined]="true"
                    [disabled]="busy()"
                    [label]="ask.ids.length === 1 ? choice.label : labels.all(choice.label, ask.ids.length)"
                    (onClick)="answer(m, choice.value)"
                  />
                }
              }
              @if (m.link) {
                <a [routerLink]="m.link" (click)="read(m)">{{ m.ask && m.ask.ids.length > 1 ? labels.oneByOne : labels.open }}</a>
              }
              @if (!m.readAt) {
                <button type="button" (click)="read(m)" i18n>Mark as read</button>
              }
            </p>
          </article>
        } @empty {
          <div class="empty" i18n><b>No messages</b>Notices of holds and batches that concern you will be here.</div>
        }
      }
    </div>
    @if (choosing()) {
      <kc-mail-sheet [(open)]="choosing" />
    }
  `,
  styles: `
    article {
      padding: 10px 14px;
      margin-bottom: 8px;
      max-width: 860px;
      border-inline-start-width: 4px;
    }
    article.unread {
      border-inline-start-color: var(--brass-light);
    }
    article p {
      margin-top: 4px;
    }
    .body {
      white-space: pre-line;
      overflow-wrap: anywhere;
    }
    .said {
      margin-bottom: 8px;
    }
    .acts {
      display: flex;
      flex-wrap: wrap;
      align-items: center;
      gap: 12px;
    }
    .acts > button {
      border: 0;
      background: none;
      text-decoration: underline;
      cursor: pointer;
      padding: 0;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class MessagesPage {
  protected readonly labels = {
    all: (label: string, n: number) => $localize`${label}:choice:: all ${n}:count:`,
    oneByOne: $localize`Decide one by one`,
    open: $localize`Open`,
  };
  private readonly api = inject(Api);
  private readonly session = inject(Session);
  protected readonly messages = loaded(() => this.api.call(identity.messages));

  protected readonly mailStates = mailStates;
  protected readonly choosing = signal(false);
  protected readonly busy = signal(false);
  protected readonly problem = signal<Problem | null>(null);
  protected readonly said = signal('');
  protected readonly answersTo = answersTo;

  protected answer(message: Message, answer: StepAnswer): void {
    this.busy.set(true);
    this.problem.set(null);
    this.api.call(steps.answer, { body: { ids: message.ask!.ids, answer, note: '' } }).subscribe({
      next: ({ results }) => {
        this.busy.set(false);
        const done = results.filter((r) => r.outcome === 'done');
        const others = results.filter((r) => r.outcome !== 'done');
        this.said.set(
          [done.length > 0 ? `${done.length} × ${done[0]!.why}` : '', ...new Set(others.map((r) => r.why))].filter(Boolean).join(' '),
        );
        this.read(message);
        this.messages.reload();
        this.session.refresh();
      },
      error: (error: unknown) => {
        this.busy.set(false);
        this.problem.set(toProblem(error));
      },
    });
  }

  protected read(message: Message): void {
    if (message.readAt) return;
    this.api.call(identity.readMessage, { params: { id: message.id } }).subscribe(() => {
      this.messages.reload();
      this.session.refresh();
    });
  }
}

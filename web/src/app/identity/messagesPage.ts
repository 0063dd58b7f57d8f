import { ChangeDetectionStrategy, Component, inject } from '@angular/core';
import { RouterLink } from '@angular/router';
import { identity, type Message } from '@key-cellar/contract';
import { Api } from '../kit/api';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { InstantPipe } from '../kit/words';
import { Session } from './session';

/** The mail stand-in: what would have gone out by mail to this person. */
@Component({
  selector: 'kc-messages',
  imports: [RouterLink, InstantPipe, ProblemNotice],
  template: `
    <div class="page">
      <div class="page-head">
        <div>
          <h1 i18n>Messages</h1>
          <p class="lede" i18n>What Key Cellar would have sent you by mail. In this demo it stays here.</p>
        </div>
      </div>
      <kc-problem [problem]="messages.problem()" />
      @if (messages.value(); as found) {
        @for (m of found.messages; track m.id) {
          <article class="panel" [class.unread]="!m.readAt">
            <h2>{{ m.subject }}</h2>
            <p class="quiet small">{{ m.kind }} · {{ m.sentAt | instant }}</p>
            <p>{{ m.body }}</p>
            <p class="acts">
              @if (m.link) {
                <a [routerLink]="m.link" (click)="read(m)" i18n>Open</a>
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
  `,
  styles: `
    article {
      padding: 10px 14px;
      margin-bottom: 8px;
      max-width: 860px;
      border-left-width: 4px;
    }
    article.unread {
      border-left-color: var(--brass-light);
    }
    article p {
      margin-top: 4px;
    }
    button {
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
  private readonly api = inject(Api);
  private readonly session = inject(Session);
  protected readonly messages = loaded(() => this.api.call(identity.messages));

  protected read(message: Message): void {
    if (message.readAt) return;
    this.api.call(identity.readMessage, { params: { id: message.id } }).subscribe(() => {
      this.messages.reload();
      this.session.refresh();
    });
  }
}

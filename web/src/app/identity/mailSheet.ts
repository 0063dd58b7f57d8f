import { ChangeDetectionStrategy, Component, inject, model, signal } from '@angular/core';
import { identity, type MailHow, type MailKind, type Problem } from '@key-cellar/contract';
import { Api, toProblem } from '../kit/api';
import { Choice } from '../kit/choice';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { Sheet } from '../kit/sheet';
import { howOptions, kindWords } from './mailWords';

/** What comes to somebody by mail: at once, with the others of the day, or not. Each choice counts as it is made. */
@Component({
  selector: 'kc-mail-sheet',
  imports: [Choice, ProblemNotice, Sheet],
  template: `
    <kc-sheet [(open)]="open" heading="What comes by mail" i18n-heading>
      @if (page.value(); as p) {
        @if (!p.on) {
          <p class="sheet-note" i18n>No mail leaves from here. Messages stay in Key Cellar.</p>
        } @else if (p.address) {
          <p class="sheet-note" i18n>To {{ p.address }}. Every message is here as well, whatever you choose.</p>
        } @else {
          <p class="sheet-note" i18n>
            Key Cellar knows no address of yours; whoever sets up people can add it. Until then messages stay here.
          </p>
        }
        <form class="form">
          @for (one of p.kinds; track one.kind) {
            <kc-choice
              [field]="'mail-' + one.kind"
              [label]="kindWords[one.kind]"
              [options]="options"
              [value]="one.how"
              (valueChange)="choose(one.kind, $event)"
            />
          }
        </form>
      }
      <kc-problem [problem]="problem() ?? page.problem()" />
    </kc-sheet>
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class MailSheet {
  private readonly api = inject(Api);
  readonly open = model.required<boolean>();
  protected readonly kindWords = kindWords;
  protected readonly options = howOptions;
  protected readonly page = loaded(() => this.api.call(identity.mailChoices));
  protected readonly problem = signal<Problem | null>(null);

  protected choose(kind: MailKind, how: MailHow): void {
    this.problem.set(null);
    this.api.call(identity.chooseMail, { body: { kind, how } }).subscribe({
      next: () => this.page.reload(),
      error: (error: unknown) => this.problem.set(toProblem(error)),
    });
  }
}

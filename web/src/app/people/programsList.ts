import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { programs, type ProgramLine, type TokenLine } from '@key-cellar/contract';
import { civilDate } from '@key-cellar/core/calendar';
import { Button } from 'primeng/button';
import { Api } from '../kit/api';
import { Doing } from '../kit/doing';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { REPOSITORY_DAY } from '../kit/repositoryDay';
import { DayPipe, InstantPipe } from '../kit/words';
import { ProgramSheet } from './programSheet';
import { TokenSheet } from './tokenSheet';

/** So many days before its end a token is pointed out. */
const soonDays = 14;

/** Programs of others, with their tokens: what each is for, until when, and when it was last used. */
@Component({
  selector: 'kc-programs',
  imports: [Button, DayPipe, InstantPipe, ProblemNotice, ProgramSheet, TokenSheet],
  template: `
    <section aria-labelledby="programs">
      <div class="head">
        <div>
          <h2 id="programs" i18n>Programs</h2>
          <p class="quiet" i18n>
            A program uses the <a href="/api">interface</a> under a name of its own, with a token that ends. What it may do is granted on
            places of the plan, as to a person; a token narrows that, and gives nothing.
          </p>
        </div>
        <p-button severity="secondary" [outlined]="true" label="Add a program" i18n-label ariaHasPopup="dialog" (onClick)="show(null)" />
      </div>
      <kc-problem [problem]="page.problem() ?? doing.problem()" />
      @if (page.value(); as p) {
        @if (p.programs.length === 0) {
          <div class="empty" i18n>
            <b>No program</b>Add one for a scanner, a mail gateway or a business system that files here or looks things up.
          </div>
        } @else {
          <table class="frame">
            <thead>
              <tr>
                <th i18n>program</th>
                <th i18n>token</th>
                <th i18n>for</th>
                <th i18n>until</th>
                <th i18n>last used</th>
                <th><span class="sr" i18n>Acts</span></th>
              </tr>
            </thead>
            <tbody>
              @for (program of p.programs; track program.id) {
                @for (token of working(program); track token.id; let first = $first) {
                  <tr>
                    <td>
                      @if (first) {
                        <button type="button" class="as-link" (click)="show(program)">{{ program.name }}</button>
                        @if (!program.active) {
                          <span class="quiet small line" i18n>not in use</span>
                        }
                      }
                    </td>
                    <td>{{ token.name }}</td>
                    <td class="wrap">
                      <code>{{ token.scopes.join(' ') }}</code>
                    </td>
                    <td [class.madder]="endsSoon(token)">{{ token.until | day }}</td>
                    <td>
                      @if (token.lastUsed; as used) {
                        {{ used.at | instant }}
                        <span class="quiet small line">{{ used.from }}</span>
                      } @else {
                        <span class="quiet" i18n>never</span>
                      }
                    </td>
                    <td>
                      <button
                        type="button"
                        class="link"
                        [disabled]="doing.busy()"
                        [attr.aria-label]="endName(token)"
                        (click)="end(token)"
                        i18n
                      >
                        end
                      </button>
                    </td>
                  </tr>
                } @empty {
                  <tr>
                    <td>
                      <button type="button" class="as-link" (click)="show(program)">{{ program.name }}</button>
                      @if (!program.active) {
                        <span class="quiet small line" i18n>not in use</span>
                      }
                    </td>
                    <td colspan="5" class="quiet" i18n>No token that works: it can do nothing.</td>
                  </tr>
                }
              }
            </tbody>
          </table>
          <p-button
            severity="secondary"
            [text]="true"
            label="Make a token …"
            i18n-label
            ariaHasPopup="dialog"
            (onClick)="making.set(true)"
          />
        }
        @if (open()) {
          <kc-program-sheet [(open)]="open" [program]="shown()" (changed)="page.reload()" />
        }
        @if (making()) {
          <kc-token-sheet [(open)]="making" [programs]="inUse()" (changed)="page.reload()" />
        }
      }
    </section>
  `,
  styles: `
    section {
      margin-top: 28px;
    }
    .head {
      display: flex;
      justify-content: space-between;
      align-items: start;
      gap: 24px;
      margin-bottom: 8px;
    }
    .head p-button {
      flex: none;
    }
    td {
      vertical-align: top;
    }
    .line {
      display: block;
    }
    .wrap {
      max-width: 360px;
      overflow-wrap: anywhere;
    }
    .as-link,
    .link {
      font: inherit;
      color: inherit;
      background: none;
      border: 0;
      padding: 0;
      cursor: pointer;
    }
    .link,
    .as-link:hover {
      text-decoration: underline;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class ProgramsList {
  private readonly api = inject(Api);
  private readonly today = inject(REPOSITORY_DAY);
  protected readonly page = loaded(() => this.api.call(programs.list));
  protected readonly doing = new Doing();
  protected readonly open = signal(false);
  protected readonly shown = signal<ProgramLine | null>(null);
  protected readonly making = signal(false);
  protected readonly inUse = computed(() => (this.page.value()?.programs ?? []).filter((p) => p.active));

  protected working({ tokens }: ProgramLine): readonly TokenLine[] {
    return tokens.filter((t) => t.endedOn === null && t.until >= this.today());
  }

  protected endsSoon({ until }: TokenLine): boolean {
    return civilDate(until) - civilDate(this.today()) <= soonDays;
  }

  protected show(program: ProgramLine | null): void {
    this.shown.set(program);
    this.open.set(true);
  }

  protected endName({ name }: TokenLine): string {
    return $localize`End the token ${name}:name:`;
  }

  protected end({ id }: TokenLine): void {
    this.doing.run(this.api.call(programs.endToken, { params: { id } }), () => this.page.reload());
  }
}

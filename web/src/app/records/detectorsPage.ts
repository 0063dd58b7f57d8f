import { ChangeDetectionStrategy, Component, DestroyRef, effect, inject, signal } from '@angular/core';
import { RouterLink } from '@angular/router';
import { setup, type DetectorLine } from '@key-cellar/contract';
import { describeSign, emptyVocabulary, printCriteria, type Sign } from '@key-cellar/core/criteria';
import { Button } from 'primeng/button';
import { Tooltip } from 'primeng/tooltip';
import { say } from '../../words/say';
import { Session } from '../identity/index';
import { Api } from '../kit/api';
import { Keys } from '../kit/keys';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { CountPipe, DayPipe } from '../kit/words';
import { DetectorSheet } from './detectorSheet';
import { SetupNav } from './setupNav';
import { UnreadRecords } from './unreadRecords';

/** How often the count of what is still to be looked at is asked for, while there is some. */
const againAfterMs = 2000;

/** Detectors: what is looked for in the text of records, and how much was found. */
@Component({
  selector: 'kc-detectors',
  imports: [Button, CountPipe, DayPipe, DetectorSheet, ProblemNotice, RouterLink, SetupNav, Tooltip, UnreadRecords],
  template: `
    <div class="page">
      <div class="page-head">
        <div>
          <h1 i18n>Detectors</h1>
          <p class="lede" i18n>
            Each scans titles, facts and the newest version for sensitive content. Rules, holds and questions can use what was found.
          </p>
        </div>
        @if (session.may('dispose')) {
          <div class="acts"><p-button label="New detector" i18n-label pTooltip="n" tooltipPosition="bottom" (onClick)="begin(null)" /></div>
        }
      </div>
      <kc-setup-nav />
      <kc-problem [problem]="page.problem()" />
      @if (page.value(); as p) {
        <p class="waiting" role="status">
          @if (p.waiting > 0) {
            <ng-container i18n
              ><b>{{ p.waiting | count }}</b> records are still to be looked at.</ng-container
            >
          } @else if (p.detectors.length > 0) {
            <span class="quiet" i18n>All records have been scanned.</span>
          }
        </p>
        @if (p.detectors.length === 0) {
          <div class="empty" i18n>
            <b>No detector yet</b>Create one for account numbers, health terms, or a form that must not be misfiled.
          </div>
        } @else {
          <table class="frame">
            <thead>
              <tr>
                <th i18n>detector</th>
                <th i18n>looks for</th>
                <th class="num" i18n>found in</th>
                <th><span class="sr" i18n>acts</span></th>
              </tr>
            </thead>
            <tbody>
              @for (d of p.detectors; track d.id) {
                <tr>
                  <td>
                    <b>{{ d.title }}</b>
                    @if (d.retiredOn) {
                      <span class="quiet small" i18n>retired {{ d.retiredOn | day }}</span>
                    }
                    @if (d.note) {
                      <p class="quiet small">{{ d.note }}</p>
                    }
                  </td>
                  <td>
                    @for (sign of d.signs; track $index) {
                      <p>
                        @if (!$first) {
                          <ng-container i18n>or</ng-container>&ngsp;
                        }
                        {{ describe(sign) }}
                      </p>
                    }
                  </td>
                  <td class="num">
                    @if (d.records > 0) {
                      <a routerLink="/find" [queryParams]="{ where: asked(d) }">{{ d.records | count }}</a>
                    } @else {
                      <span class="quiet">0</span>
                    }
                  </td>
                  <td class="num">
                    @if (session.may('dispose')) {
                      <p-button
                        size="small"
                        severity="secondary"
                        [text]="true"
                        label="change"
                        i18n-label
                        ariaLabel="Change {{ d.title }}"
                        i18n-ariaLabel
                        (onClick)="begin(d)"
                      />
                    }
                  </td>
                </tr>
              }
            </tbody>
          </table>
        }
      }
      @if ((page.value()?.unread ?? 0) > 0) {
        <details class="panel unread" [open]="showsUnread()" (toggle)="showsUnread.set(unread.open)" #unread>
          <summary>
            <b class="madder" i18n>{page.value()!.unread, plural,
              =1 {One record could not be read whole.}
              other {{{ page.value()!.unread | count }} records could not be read whole.}
            }</b>
            &ngsp;<span class="quiet" i18n>What was not read was not scanned.</span>
          </summary>
          @if (showsUnread()) {
            <kc-unread-records />
          }
        </details>
      }
      <kc-detector-sheet [(open)]="open" [detector]="changing()" (kept)="page.reload()" />
    </div>
  `,
  styles: `
    .waiting {
      margin-bottom: 8px;
    }
    td p {
      margin: 0;
    }
    .unread {
      margin-top: 16px;
      padding: 10px 14px;
    }
    summary {
      cursor: pointer;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class DetectorsPage {
  private readonly api = inject(Api);
  protected readonly session = inject(Session);
  protected readonly page = loaded(() => this.api.call(setup.detectors));
  protected readonly open = signal(false);
  protected readonly showsUnread = signal(false);
  protected readonly changing = signal<DetectorLine | null>(null);

  constructor() {
    const remove = inject(Keys).add({ n: [$localize`create a detector`, () => this.session.may('dispose') && this.begin(null)] });
    inject(DestroyRef).onDestroy(remove);
    effect((onCleanup) => {
      if (!this.page.value()?.waiting) return;
      const again = setTimeout(() => this.page.reload(), againAfterMs);
      onCleanup(() => clearTimeout(again));
    });
  }

  protected describe(sign: Sign): string {
    return say(describeSign(sign));
  }

  /** What Find is asked for what a detector found. */
  protected asked({ id, title }: DetectorLine): string {
    const vocabulary = { ...emptyVocabulary, detectors: [{ id, name: title }] };
    return printCriteria({ op: 'detected', detectorId: id, name: title }, vocabulary);
  }

  protected begin(detector: DetectorLine | null): void {
    this.changing.set(detector);
    this.open.set(true);
  }
}

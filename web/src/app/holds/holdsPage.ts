import { ChangeDetectionStrategy, Component, computed, DestroyRef, inject, signal } from '@angular/core';
import { RouterLink } from '@angular/router';
import { holds, type HoldLine } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { Tooltip } from 'primeng/tooltip';
import { Session } from '../identity/index';
import { Api } from '../kit/api';
import { Keys } from '../kit/keys';
import { loaded, reloadWhile } from '../kit/loaded';
import { Mark } from '../kit/mark';
import { matterKindNames } from '../kit/names';
import { ProblemNotice } from '../kit/notice';
import { CountPipe, DayPipe } from '../kit/words';
import { percentOf } from './holdDoing';
import { HoldSheet } from './holdSheet';

/** What is frozen and for whom: matters with their holds. */
@Component({
  selector: 'kc-holds',
  imports: [Button, CountPipe, DayPipe, HoldSheet, Mark, ProblemNotice, RouterLink, Tooltip],
  template: `
    <div class="page">
      <div class="page-head">
        <div>
          <h1 i18n>Holds</h1>
          @if (page.value()) {
            <p class="lede" i18n>
              <b>{open(), plural, =0 {No hold} =1 {One hold} other {{{ open() }} holds}}</b>
              {open(), plural, =1 {is} =0 {is} other {are}} open in
              {page.value()!.matters.length, plural, =1 {1 matter} other {{{ page.value()!.matters.length }} matters}}:
              {covers(), plural, =1 {<b>1</b> record hold} other {<b>{{ covers() | count }}</b> record holds}}.
            </p>
          }
        </div>
        @if (session.may('hold')) {
          <p-button label="Place a hold" i18n-label pTooltip="n" tooltipPosition="bottom" (onClick)="start(undefined)" />
        }
      </div>
      <kc-problem [problem]="page.problem()" />
      @for (matter of page.value()?.matters ?? []; track matter.id) {
        <section>
          <div class="section-head">
            <h2>
              <code>{{ matter.code }}</code> {{ matter.title }}
            </h2>
            <span class="quiet"
              >{{ kinds[matter.kind] }}, <ng-container i18n>opened {{ matter.openedOn | day }}</ng-container></span
            >
            @if (session.may('hold')) {
              <button type="button" class="plain" (click)="start(matter.id)" i18n>place another hold for it</button>
            }
          </div>
          @if (matter.note) {
            <p class="quiet note">{{ matter.note }}</p>
          }
          <table class="frame">
            <colgroup>
              <col class="name" />
              <col class="scope" />
              <col class="count" />
              <col class="told" />
              <col class="since" />
              <col class="state" />
            </colgroup>
            <thead>
              <tr>
                <th i18n>hold</th>
                <th i18n>covers</th>
                <th class="num" i18n>records</th>
                <th i18n>custodians</th>
                <th i18n>since</th>
                <th i18n>state</th>
              </tr>
            </thead>
            <tbody>
              @for (hold of matter.holds; track hold.id) {
                <tr>
                  <td>
                    <a [routerLink]="['/holds', hold.id]"
                      ><b>{{ hold.name }}</b></a
                    ><span class="more">{{ hold.reason }}</span>
                  </td>
                  <td>
                    @if (hold.scope) {
                      {{ hold.scope }}
                    } @else {
                      <ng-container i18n>a list of records</ng-container>
                    }
                    @if (hold.freeze) {
                      <span class="more" i18n>frozen: no edits either</span>
                    }
                  </td>
                  <td class="num">{{ hold.covers | count }}</td>
                  <td>
                    @if (hold.unacknowledged > 0) {
                      <span class="madder" i18n
                        >{hold.unacknowledged, plural, =1 {one has} other {{{ hold.unacknowledged }} have}} not acknowledged</span
                      >
                    } @else {
                      <span class="quiet" i18n>all acknowledged</span>
                    }
                  </td>
                  <td>
                    {{ hold.placedOn | day }}<span class="more">{{ hold.placedBy }}</span>
                  </td>
                  <td>
                    @if (hold.state === 'open') {
                      <kc-mark kind="held" [showWord]="true" label="open" i18n-label />
                      @if (hold.doing) {
                        <span class="more" i18n>covering {{ percent(hold) }}</span>
                      }
                    } @else if (hold.doing) {
                      <span class="quiet" i18n>released, letting go {{ percent(hold) }}</span>
                    } @else {
                      <span class="quiet" i18n>released {{ hold.releasedOn | day }}</span>
                    }
                  </td>
                </tr>
              } @empty {
                <tr>
                  <td colspan="6" class="quiet" i18n>No hold was placed for it yet.</td>
                </tr>
              }
            </tbody>
          </table>
        </section>
      } @empty {
        @if (page.value()) {
          <div class="empty" i18n><b>Nothing is held</b>Mark records in Find and hold them, or place a hold on whatever matches.</div>
        }
      }
      <kc-hold-sheet [(open)]="placing" [matterId]="matterId()" (placed)="page.reload()" />
    </div>
  `,
  styles: `
    .more {
      display: block;
      color: var(--ink-2);
      font-size: 12.5px;
      line-height: 17px;
    }
    /* The columns of all matters stand under one another. */
    table {
      table-layout: fixed;
    }
    .name {
      width: 30%;
    }
    .scope {
      width: 26%;
    }
    .count {
      width: 8%;
    }
    .told {
      width: 14%;
    }
    .since {
      width: 12%;
    }
    .state {
      width: 10%;
    }
    td {
      overflow-wrap: anywhere;
    }
    .note {
      margin: -4px 0 8px;
    }
    .plain {
      border: 0;
      background: none;
      text-decoration: underline;
      cursor: pointer;
      color: var(--ink-2);
      padding: 0;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class HoldsPage {
  private readonly api = inject(Api);
  protected readonly session = inject(Session);
  protected readonly kinds = matterKindNames;
  protected readonly page = loaded(() => this.api.call(holds.matters));
  protected readonly placing = signal(false);
  protected readonly matterId = signal<string | undefined>(undefined);
  private readonly all = computed(() => (this.page.value()?.matters ?? []).flatMap((m) => m.holds));
  protected readonly open = computed(() => this.all().filter((h) => h.state === 'open').length);
  protected readonly covers = computed(() => this.all().reduce((sum, h) => sum + h.covers, 0));

  /** How far it has come, once it has begun to look. */
  protected percent({ doing }: HoldLine): string {
    const percent = doing && percentOf(doing);
    return percent === null ? '' : `${percent} %`;
  }

  constructor() {
    reloadWhile(this.page, ({ matters }) => matters.some((m) => m.holds.some((h) => h.doing !== null)));
    const remove = inject(Keys).add({ n: [$localize`place a hold`, () => this.session.may('hold') && this.start(undefined)] });
    inject(DestroyRef).onDestroy(remove);
  }

  protected start(matterId: string | undefined): void {
    this.matterId.set(matterId);
    this.placing.set(true);
  }
}

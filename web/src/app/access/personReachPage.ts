import { ChangeDetectionStrategy, Component, inject, input } from '@angular/core';
import { RouterLink } from '@angular/router';
import { access } from '@key-cellar/contract';
import { Session } from '../identity/index';
import { Api } from '../kit/api';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { CountPipe } from '../kit/words';
import { AccessNav } from './accessNav';

/** What one person can reach: every place where their access begins or changes, with what and on how many records. */
@Component({
  selector: 'kc-person-reach',
  imports: [AccessNav, CountPipe, ProblemNotice, RouterLink],
  template: `
    <div class="page">
      <div class="page-head">
        <div>
          <h1>{{ page.value()?.person?.name }}</h1>
          @if (page.value(); as p) {
            <p class="lede" i18n>
              Can reach <b>{{ p.records | count }}</b> of the records that you may know of. A place counts what takes its access from there.
            </p>
          }
        </div>
        @if (session.may('people')) {
          <div class="acts">
            <a [routerLink]="['/setup/people', id()]" i18n>Their page under Setup</a>
          </div>
        }
      </div>
      @if (session.may('grant') || session.may('audit')) {
        <kc-access-nav />
      }
      <kc-problem [problem]="page.problem()" />
      @if (page.value(); as p) {
        @if (p.places.length === 0) {
          <div class="empty" i18n><b>Nothing</b>No grant in force reaches a place that you may know of.</div>
        } @else {
          <table class="frame">
            <thead>
              <tr>
                <th i18n>place</th>
                <th i18n>may</th>
                <th i18n>through</th>
                <th class="num" i18n>records</th>
                <th><span class="sr" i18n>Why</span></th>
              </tr>
            </thead>
            <tbody>
              @for (place of p.places; track place.id) {
                <tr>
                  <td>
                    <a [routerLink]="['/plan', place.id]"
                      ><code>{{ place.code }}</code> {{ place.title }}</a
                    >
                  </td>
                  <td>{{ place.rights }}</td>
                  <td>
                    @for (through of place.through; track through) {
                      <span class="small through">{{ through }}</span>
                    }
                  </td>
                  <td class="num">{{ place.records | count }}</td>
                  <td>
                    <a routerLink="/access/compare" [queryParams]="{ person: id(), place: place.id }" i18n>why</a>
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
    .through {
      display: block;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class PersonReachPage {
  private readonly api = inject(Api);
  protected readonly session = inject(Session);
  readonly id = input.required<string>();
  protected readonly page = loaded(() => this.api.call(access.reachOf, { params: { id: this.id() } }));
}

import { ChangeDetectionStrategy, Component, inject, linkedSignal, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import { access } from '@key-cellar/contract';
import { civilDate, formatCivilDate } from '@key-cellar/core/calendar';
import { Button } from 'primeng/button';
import { Api } from '../kit/api';
import { Choice } from '../kit/choice';
import { DateField } from '../kit/dateField';
import { Doing } from '../kit/doing';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { REPOSITORY_DAY } from '../kit/repositoryDay';
import { Sheet } from '../kit/sheet';
import { TextField } from '../kit/textField';
import { CountPipe, DayPipe } from '../kit/words';
import { AccessNav } from './accessNav';
import { spotChoices } from './places';

const usualDays = 28;

/** Rounds in which those who give access say of each grant whether it is still needed. */
@Component({
  selector: 'kc-reviews',
  imports: [AccessNav, Button, Choice, CountPipe, DateField, DayPipe, FormsModule, ProblemNotice, RouterLink, Sheet, TextField],
  template: `
    <div class="page">
      <div class="page-head">
        <div>
          <h1 i18n>Reviews</h1>
          <p class="lede" i18n>
            In a round those who give access confirm each grant or end it, by a day. Nobody answers for what they have themselves; what was
            said stays.
          </p>
        </div>
        @if (page.value()?.mayBegin) {
          <div class="acts">
            <p-button label="Begin a review …" i18n-label ariaHasPopup="dialog" (onClick)="beginning.set(true)" />
          </div>
        }
      </div>
      <kc-access-nav />
      <kc-problem [problem]="page.problem()" />
      @if (page.value(); as p) {
        @if (p.reviews.length === 0) {
          <div class="empty" i18n>
            <b>No review yet</b>Begin one over the whole plan once a year, or over one series when something changed there.
          </div>
        } @else {
          <table class="frame">
            <thead>
              <tr>
                <th i18n>review</th>
                <th i18n>over</th>
                <th i18n>until</th>
                <th class="num" i18n>answered</th>
                <th class="num" i18n>for you</th>
                <th i18n>state</th>
              </tr>
            </thead>
            <tbody>
              @for (one of p.reviews; track one.id) {
                <tr [class.past]="one.closedOn">
                  <td>
                    <a [routerLink]="['/access/reviews', one.id]">{{ one.title }}</a>
                    <span class="quiet small line" i18n>begun {{ one.madeOn | day }} by {{ one.madeBy }}</span>
                  </td>
                  <td>
                    <code>{{ one.place.code }}</code> {{ one.place.title }}
                  </td>
                  <td [class.madder]="!one.closedOn && one.dueOn < today()">{{ one.dueOn | day }}</td>
                  <td class="num">{{ one.answered | count }} / {{ one.lines | count }}</td>
                  <td class="num">{{ one.closedOn ? '' : (one.mine | count) }}</td>
                  <td>
                    @if (one.closedOn; as day) {
                      <ng-container i18n>closed {{ day | day }}</ng-container>
                    } @else if (one.endsUnconfirmed) {
                      <ng-container i18n>ends what nobody confirms</ng-container>
                    } @else {
                      <ng-container i18n>open</ng-container>
                    }
                  </td>
                </tr>
              }
            </tbody>
          </table>
        }
      }
    </div>
    <kc-sheet [(open)]="beginning" heading="Begin a review" i18n-heading>
      <form class="form" (ngSubmit)="begin()">
        <kc-text-field
          field="review-title"
          label="Name"
          i18n-label
          [needed]="true"
          [maxlength]="120"
          [value]="title()"
          (valueChange)="title.set($event)"
        />
        <kc-choice
          field="review-place"
          label="Over what is given in"
          i18n-label
          [options]="places()"
          [value]="placeId()"
          (valueChange)="placeId.set($event)"
        />
        <kc-date-field field="review-due" label="Until" i18n-label [needed]="true" [value]="dueOn()" (valueChange)="dueOn.set($event)" />
        <label class="check">
          <input type="checkbox" name="ends" [ngModel]="ends()" (ngModelChange)="ends.set($event)" />
          <span i18n>What nobody confirms by then ends</span>
        </label>
        <p class="quiet small" i18n>Those who give access there are told, and reminded a week before the end and on its day.</p>
        <kc-problem [problem]="doing.problem()" />
        <p-button type="submit" [disabled]="doing.busy() || !title().trim() || !placeId() || !dueOn()" label="Begin" i18n-label />
      </form>
    </kc-sheet>
  `,
  styles: `
    .line {
      display: block;
    }
    td {
      vertical-align: top;
    }
    tr.past td {
      color: var(--ink-2);
    }
    .check {
      display: flex;
      gap: 8px;
      align-items: center;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class ReviewsPage {
  private readonly api = inject(Api);
  private readonly router = inject(Router);
  protected readonly today = inject(REPOSITORY_DAY);
  protected readonly page = loaded(() => this.api.call(access.reviews));
  protected readonly places = spotChoices().places;
  protected readonly beginning = signal(false);
  protected readonly title = signal('');
  protected readonly placeId = signal<string | null>(null);
  protected readonly dueOn = linkedSignal(() => (this.today() ? formatCivilDate(civilDate(this.today()) + usualDays) : ''));
  protected readonly ends = signal(false);
  protected readonly doing = new Doing();

  protected begin(): void {
    const body = { title: this.title().trim(), placeId: this.placeId()!, dueOn: this.dueOn(), endsUnconfirmed: this.ends() };
    this.doing.run(this.api.call(access.beginReview, { body }), ({ id }) => void this.router.navigate(['/access/reviews', id]));
  }
}

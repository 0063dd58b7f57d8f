import { ChangeDetectionStrategy, Component, inject, signal } from '@angular/core';
import { Router, RouterLink } from '@angular/router';
import { tags } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { AccessNav } from '../access/index';
import { Api } from '../kit/api';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { CountPipe } from '../kit/words';
import { TagSheet } from './tagSheet';

/** Access tags: how much is given by each, and how much carries it. */
@Component({
  selector: 'kc-tags',
  imports: [AccessNav, Button, CountPipe, ProblemNotice, RouterLink, TagSheet],
  template: `
    <div class="page">
      <div class="page-head">
        <div>
          <h1 i18n>Access tags</h1>
          <p class="lede" i18n>
            For what belongs together and lies in many places, such as an inquiry. Access given by a tag reaches all that carries it, beside
            what is given there.
          </p>
        </div>
        @if (page.value()?.mayMake) {
          <p-button label="Make a tag" i18n-label (onClick)="making.set(true)" />
        }
      </div>
      <kc-access-nav />
      <kc-problem [problem]="page.problem()" />
      @if (page.value(); as p) {
        @if (p.tags.length === 0) {
          <div class="empty" i18n>
            <b>No access tags yet</b>Make one, give access by it, and put it on records, folders and series. Those who were given access
            find what carries it, wherever it lies.
          </div>
        } @else {
          <table class="frame">
            <thead>
              <tr>
                <th i18n>tag</th>
                <th i18n>what it is for</th>
                <th class="num" i18n>given to</th>
                <th class="num" i18n>places</th>
                <th class="num" i18n>records</th>
              </tr>
            </thead>
            <tbody>
              @for (tag of p.tags; track tag.id) {
                <tr [class.past]="!tag.active">
                  <td>
                    <a [routerLink]="['/access/tags', tag.id]">{{ tag.name }}</a>
                    @if (!tag.active) {
                      <span class="madder small" i18n>not in use</span>
                    }
                  </td>
                  <td class="why">{{ tag.note }}</td>
                  <td class="num">{{ tag.grants | count }}</td>
                  <td class="num">{{ tag.places | count }}</td>
                  <td class="num">{{ tag.records | count }}</td>
                </tr>
              }
            </tbody>
          </table>
        }
      }
      <kc-tag-sheet [(open)]="making" (changed)="opened($event)" />
    </div>
  `,
  styles: `
    tr.past td {
      color: var(--ink-2);
    }
    td.why {
      max-width: 420px;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class TagsPage {
  private readonly api = inject(Api);
  private readonly router = inject(Router);
  protected readonly page = loaded(() => this.api.call(tags.list));
  protected readonly making = signal(false);

  protected opened(id: string): void {
    void this.router.navigate(['/access/tags', id]);
  }
}

import { ChangeDetectionStrategy, Component, computed, DestroyRef, inject, input } from '@angular/core';
import { Router, RouterLink } from '@angular/router';
import { stencils, type StencilLine } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { Tooltip } from 'primeng/tooltip';
import { Session } from '../identity/index';
import { Api } from '../kit/api';
import { Keys } from '../kit/keys';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { CountPipe } from '../kit/words';

/** The shelf of stencils, by subject. */
@Component({
  selector: 'kc-stencils',
  imports: [Button, CountPipe, ProblemNotice, RouterLink, Tooltip],
  template: `
    <div class="page">
      <nav class="crumbs" aria-label="Where it is in the plan" i18n-aria-label><a routerLink="/plan" i18n>Plan</a></nav>
      <div class="page-head">
        <div>
          <h1 i18n>Stencils</h1>
          <p class="lede" i18n>
            Recurring folder structures with their access, rules and titles: defined once here, then used for one or for many.
          </p>
        </div>
        @if (session.may('dispose')) {
          <div class="acts">
            <p-button label="New stencil" i18n-label pTooltip="n" tooltipPosition="bottom" routerLink="/plan/stencils/new" />
          </div>
        }
      </div>
      <kc-problem [problem]="page.problem()" />
      <div class="subjects">
        @for (group of groups(); track group.subject) {
          <section [attr.aria-label]="group.subject">
            <h2>{{ group.subject }}</h2>
            <ul class="shelf">
              @for (s of group.stencils; track s.id) {
                <li class="panel" [class.retired]="s.retiredOn">
                  <a [routerLink]="['/plan/stencils', s.id]" [queryParams]="{ place: place() }"
                    ><b>{{ s.title }}</b></a
                  >
                  <p class="small">{{ s.note }}</p>
                  <p class="quiet small">
                    <ng-container i18n
                      >{s.folders, plural, =1 {one folder} other {{{ s.folders }} folders}}, version {{ s.version }}</ng-container
                    >
                    ·
                    @if (s.uses === 0) {
                      <ng-container i18n>not used yet</ng-container>
                    } @else {
                      <ng-container i18n>used {s.uses, plural, =1 {once} other {{{ s.uses | count }} times}}</ng-container>
                    }
                    @if (s.behind > 0) {
                      · <b class="madder" i18n>{{ s.behind | count }} behind</b>
                    }
                    @if (s.retiredOn) {
                      · <ng-container i18n>retired</ng-container>
                    }
                  </p>
                </li>
              }
            </ul>
          </section>
        } @empty {
          @if (page.value()) {
            <div class="empty" i18n><b>The shelf is empty</b>Create a stencil from scratch, or from a folder that is right as it is.</div>
          }
        }
      </div>
    </div>
  `,
  styles: `
    .subjects {
      display: grid;
      grid-template-columns: repeat(auto-fill, minmax(310px, 1fr));
      gap: 20px 16px;
    }
    .subjects > .empty {
      grid-column: 1 / -1;
    }
    h2 {
      margin-bottom: 6px;
    }
    .shelf {
      display: grid;
      gap: 8px;
    }
    li {
      padding: 8px 12px;
      border-top: 3px solid var(--bottle);
    }
    li.retired {
      border-top-color: var(--line);
    }
    a {
      text-decoration: none;
    }
    a:hover {
      text-decoration: underline;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class StencilsPage {
  private readonly api = inject(Api);
  private readonly router = inject(Router);
  protected readonly session = inject(Session);
  /** A place to use one in, when the shelf was opened from it. */
  readonly place = input<string>();
  protected readonly page = loaded(() => this.api.call(stencils.list));
  protected readonly groups = computed(() => {
    const groups = new Map<string, StencilLine[]>();
    for (const s of this.page.value()?.stencils ?? []) groups.set(s.subject, [...(groups.get(s.subject) ?? []), s]);
    return [...groups].map(([subject, of]) => ({ subject, stencils: of }));
  });

  constructor() {
    const remove = inject(Keys).add({
      n: [$localize`create a stencil`, () => this.session.may('dispose') && void this.router.navigateByUrl('/plan/stencils/new')],
    });
    inject(DestroyRef).onDestroy(remove);
  }
}

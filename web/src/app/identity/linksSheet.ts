import { ChangeDetectionStrategy, Component, computed, effect, inject, model, untracked } from '@angular/core';
import { Router } from '@angular/router';
import { federation, type PersonRef } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { Api } from '../kit/api';
import { Doing } from '../kit/doing';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { Sheet } from '../kit/sheet';
import { InstantPipe } from '../kit/words';
import { leaveFor, rememberWay } from './wayIn';

/** Providers by which a person signs in: those that they are linked with, and those that they could link. */
@Component({
  selector: 'kc-links-sheet',
  imports: [Button, InstantPipe, ProblemNotice, Sheet],
  template: `
    <kc-sheet [(open)]="open" heading="Sign in without a password" i18n-heading>
      <kc-problem [problem]="doing.problem() ?? found.problem()" />
      @if (found.value(); as list) {
        <p class="sheet-note" i18n>
          Whoever you are at one of these, you are here once you have linked it. It is your organisation that asks who you are.
        </p>
        <ul>
          @for (link of list.links; track link.provider.id) {
            <li>
              <div>
                <b>{{ link.provider.name }}</b>
                <span class="quiet small">
                  <ng-container i18n>linked {{ link.since | instant }}</ng-container>
                  @if (link.last; as last) {
                    <ng-container i18n> · last used {{ last | instant }}</ng-container>
                  }
                </span>
              </div>
              <p-button
                size="small"
                severity="secondary"
                [outlined]="true"
                [disabled]="doing.busy() || (list.links.length === 1 && !list.hasPassword)"
                label="Unlink"
                i18n-label
                [ariaLabel]="unlinkName(link.provider)"
                (onClick)="unlink(link.provider)"
              />
            </li>
          }
          @for (provider of unlinked(); track provider.id) {
            <li>
              <b>{{ provider.name }}</b>
              <p-button
                size="small"
                [disabled]="doing.busy()"
                label="Link"
                i18n-label
                [ariaLabel]="linkName(provider)"
                (onClick)="link(provider)"
              />
            </li>
          }
        </ul>
        @if (list.links.length === 1 && !list.hasPassword) {
          <p class="quiet small" i18n>You have no password: this link is your only way in.</p>
        }
      }
    </kc-sheet>
  `,
  styles: `
    ul {
      list-style: none;
      padding: 0;
      margin: 0 0 16px;
    }
    li {
      display: flex;
      justify-content: space-between;
      align-items: center;
      gap: 12px;
      padding: 8px 0;
      border-bottom: 1px solid var(--line);
    }
    .small {
      display: block;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class LinksSheet {
  private readonly api = inject(Api);
  private readonly router = inject(Router);
  readonly open = model.required<boolean>();
  protected readonly doing = new Doing();
  protected readonly found = loaded(() => this.api.call(federation.links));
  protected readonly unlinked = computed(() => {
    const { providers, links } = this.found.value() ?? { providers: [], links: [] };
    return providers.filter((p) => !links.some((l) => l.provider.id === p.id));
  });

  constructor() {
    effect(() => {
      if (this.open()) untracked(() => this.found.reload());
    });
  }

  protected unlinkName({ name }: PersonRef): string {
    return $localize`Unlink ${name}:name:`;
  }

  protected linkName({ name }: PersonRef): string {
    return $localize`Link ${name}:name:`;
  }

  protected link({ id }: PersonRef): void {
    rememberWay(this.router.url);
    this.doing.run(this.api.call(federation.begin, { params: { id }, body: { link: true } }), ({ url }) => leaveFor(url));
  }

  protected unlink({ id }: PersonRef): void {
    this.doing.run(this.api.call(federation.unlink, { params: { id } }), () => this.found.reload());
  }
}

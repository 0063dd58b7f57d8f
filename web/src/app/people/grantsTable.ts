import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import { RouterLink } from '@angular/router';
import type { GrantLine } from '@key-cellar/contract';
import { DayPipe } from '../kit/words';

/** What is to be done with access to a place or record, or by a tag. */
export type GrantTask = { readonly kind: 'give' } | { readonly kind: 'change' | 'end'; readonly grant: GrantLine };

/** Who was given what here and around it; what was given right here can be changed and ended. */
@Component({
  selector: 'kc-grants-table',
  imports: [RouterLink],
  template: `
    <table class="frame">
      <thead>
        <tr>
          <th i18n>who</th>
          <th i18n>as</th>
          @if (!byTag()) {
            <th i18n>on</th>
          }
          <th i18n>days</th>
          <th i18n>reason</th>
          <th><span class="sr" i18n>Acts</span></th>
        </tr>
      </thead>
      <tbody>
        @for (g of grants(); track g.id) {
          <tr [class.around]="!isHere(g)">
            <td>
              {{ g.principal.name }}
              @if (g.principal.kind === 'group') {
                <span class="quiet small" i18n>group</span>
              }
              @if (!g.principal.active) {
                <span class="madder small" i18n>not in use</span>
              }
            </td>
            <td>{{ g.as }}</td>
            @if (!byTag()) {
              <td>
                @if (isHere(g)) {
                  <span i18n>here</span>
                } @else if (g.tag; as tag) {
                  <span i18n>tag</span>&ngsp;<a [routerLink]="['/access/tags', tag.id]">{{ tag.name }}</a>
                } @else {
                  <a [routerLink]="['/plan', g.place.id]"
                    ><code>{{ g.place.code }}</code></a
                  >
                }
              </td>
            }
            <td>{{ dayWords(g) }}</td>
            <td class="why">
              {{ g.reason }}
              @if (g.stencil) {
                <span class="quiet small" i18n>by stencil {{ g.stencil }}</span>
              }
            </td>
            <td class="do">
              @if (mayGrant() && isHere(g)) {
                <button type="button" (click)="task.emit({ kind: 'change', grant: g })" i18n>change</button>
                <button type="button" (click)="task.emit({ kind: 'end', grant: g })" i18n>end</button>
              }
            </td>
          </tr>
        }
      </tbody>
    </table>
  `,
  styles: `
    tr.around td {
      color: var(--ink-2);
    }
    td.why {
      max-width: 260px;
    }
    td.do {
      white-space: nowrap;
    }
    td.do button {
      font: inherit;
      font-size: 12.5px;
      padding: 0;
      border: 0;
      background: none;
      color: var(--ink-2);
      text-decoration: underline;
      cursor: pointer;
    }
    td.do button + button {
      margin-left: 8px;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class GrantsTable {
  readonly grants = input.required<readonly GrantLine[]>();
  /** The place, record or tag that is looked at. */
  readonly here = input.required<string>();
  readonly mayGrant = input(false);
  readonly task = output<GrantTask>();

  /** What is looked at is a tag: all of it was given there. */
  protected readonly byTag = computed(() => this.grants().some((g) => g.tag?.id === this.here()));

  protected isHere(g: GrantLine): boolean {
    return (g.tag ?? g.record ?? g.place).id === this.here();
  }

  protected dayWords(g: GrantLine): string {
    const day = (on: string): string => new DayPipe().transform(on);
    if (g.from && g.until) return $localize`${day(g.from)}:from: to ${day(g.until)}:until:`;
    if (g.from) return $localize`from ${day(g.from)}:from:`;
    return g.until ? $localize`until ${day(g.until)}:until:` : '';
  }
}

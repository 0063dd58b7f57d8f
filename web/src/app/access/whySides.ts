import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import { RouterLink } from '@angular/router';
import type { AccessSide, RightLine, WeighedGrantLine } from '@key-cellar/contract';
import { DayPipe } from '../kit/words';

const extents = {
  all: $localize`yes`,
  own: $localize`on their own deposits`,
  no: $localize`no`,
} as const;

/** What one or two may do somewhere, right by right, and every grant that was weighed; where two differ comes first. */
@Component({
  selector: 'kc-why-sides',
  imports: [DayPipe, RouterLink],
  template: `
    @for (side of sides(); track $index) {
      <section>
        <h2>{{ side.person.name }} · {{ side.where }} · {{ side.on | day }}</h2>
        <p>{{ side.why }}</p>
        @for (line of side.ceilings; track line) {
          <p class="madder small">{{ line }}</p>
        }
        @if (side.grants.length > 0) {
          <ul class="grants">
            @for (g of side.grants; track g.grantId) {
              <li [class.counts]="g.counts">
                <b>{{ g.profile }}</b>&ngsp;
                @if (g.tag; as tag) {
                  <ng-container i18n>for {{ g.to.name }} by the tag</ng-container>&ngsp;<a [routerLink]="['/access/tags', tag.id]">{{
                    tag.name
                  }}</a
                  >,&ngsp;<ng-container i18n>carried by</ng-container>&ngsp;{{ g.place }}
                } @else {
                  <ng-container i18n>for {{ g.to.name }} on</ng-container>&ngsp;
                  @if (g.placeId) {
                    <a [routerLink]="['/plan', g.placeId]">{{ g.place }}</a>
                  } @else {
                    {{ g.place }}
                  }
                }
                <span class="small">{{ g.status }}</span>
                <span class="small quiet">{{ detailsOf(g) }}</span>
              </li>
            }
          </ul>
        }
      </section>
    }
    <table class="frame">
      <thead>
        <tr>
          <th i18n>rights</th>
          @for (side of sides(); track $index) {
            <th>{{ heading($index) }}</th>
          }
        </tr>
      </thead>
      <tbody>
        @for (line of lines(); track line.words) {
          <tr [class.differs]="line.differs">
            <td>{{ line.words }}</td>
            @for (has of line.has; track $index) {
              <td [class.quiet]="has === 'no'">
                {{ extents[has] }}
                @for (through of line.through[$index]; track through) {
                  <span class="small quiet through">{{ through }}</span>
                }
              </td>
            }
          </tr>
        }
      </tbody>
    </table>
  `,
  styles: `
    :host {
      display: grid;
      gap: 14px;
    }
    h2 {
      font-size: 14px;
      margin-bottom: 2px;
    }
    .grants {
      margin-top: 6px;
      border-top: 1px solid var(--line-soft);
    }
    .grants li {
      padding: 4px 0 4px 10px;
      border-bottom: 1px solid var(--line-soft);
      border-inline-start: 3px solid transparent;
      color: var(--ink-2);
    }
    .grants li.counts {
      border-inline-start-color: var(--bottle);
      color: var(--ink);
    }
    .grants .small {
      display: block;
    }
    td:first-child {
      width: 40%;
    }
    .through {
      display: block;
    }
    tr.differs td {
      background: var(--brass-wash);
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class WhySides {
  readonly sides = input.required<readonly AccessSide[]>();
  readonly rights = input.required<readonly RightLine[]>();
  protected readonly extents = extents;
  /** Rights that are had alike, through the same, in one line; of two, where they differ first. */
  protected readonly lines = computed(() => {
    const alike = new Map<string, RightLine[]>();
    for (const line of this.rights()) {
      const key = JSON.stringify([line.has, line.through]);
      alike.set(key, [...(alike.get(key) ?? []), line]);
    }
    return [...alike.values()]
      .map((group) => ({
        words: group.map((line) => line.words).join(', '),
        has: group[0]!.has,
        through: group[0]!.through,
        differs: new Set(group[0]!.has).size > 1,
      }))
      .sort((a, b) => Number(b.differs) - Number(a.differs));
  });

  /** What tells the sides apart: who, where or when. */
  protected heading(no: number): string {
    const [a, b] = this.sides();
    const side = this.sides()[no]!;
    if (!b || a!.person.id !== b.person.id) return side.person.name;
    return a!.where !== b.where ? side.where : new DayPipe().transform(side.on);
  }

  protected detailsOf(g: WeighedGrantLine): string {
    const day = (on: string): string => new DayPipe().transform(on);
    const days = [
      ...(g.from ? [$localize`from ${day(g.from)}:from:`] : []),
      ...(g.until ? [$localize`until ${day(g.until)}:until:`] : []),
      $localize`given on ${day(g.madeOn)}:day:`,
    ];
    return `${days.join(', ')}: ${g.reason}`;
  }
}

import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import { RouterLink } from '@angular/router';

export interface ResultLine {
  readonly name: string;
  readonly outcome: 'done' | 'refused' | 'skipped';
  readonly why: string;
  readonly link?: readonly string[] | undefined;
}

const heads = {
  refused: $localize`Refused`,
  skipped: $localize`Skipped`,
  done: $localize`Done`,
} as const;

/** What came of an act on many: refused ones first, each with its reason. Nothing fails silently. */
@Component({
  selector: 'kc-result-list',
  imports: [RouterLink],
  template: `
    <p role="status" class="sum">
      @for (group of groups(); track group.outcome) {
        <span [class]="group.outcome"
          ><b>{{ group.lines.length }}</b> {{ heads[group.outcome].toLowerCase() }}</span
        >
      }
    </p>
    @for (group of groups(); track group.outcome) {
      <h3>{{ heads[group.outcome] }}</h3>
      <ul>
        @for (line of group.lines.slice(0, most); track $index) {
          <li>
            @if (line.link) {
              <a [routerLink]="line.link">{{ line.name }}</a>
            } @else {
              <span>{{ line.name }}</span>
            }
            <span class="why">{{ line.why }}</span>
          </li>
        }
        @if (group.lines.length > most) {
          <li class="why" i18n>and {{ group.lines.length - most }} more</li>
        }
      </ul>
    }
  `,
  styles: `
    .sum {
      display: flex;
      gap: 16px;
      padding: 8px 12px;
      background: var(--head);
    }
    .sum .refused b {
      color: var(--madder);
    }
    h3 {
      font-size: 13px;
      margin: 12px 0 2px;
    }
    li {
      display: grid;
      padding: 5px 0;
      border-bottom: 1px dashed var(--line);
      overflow-wrap: anywhere;
    }
    .why {
      color: var(--ink-2);
      font-size: 12.5px;
      line-height: 17px;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class ResultList {
  readonly lines = input.required<readonly ResultLine[]>();
  protected readonly most = 200;
  protected readonly heads = heads;
  protected readonly groups = computed(() =>
    (['refused', 'skipped', 'done'] as const)
      .map((outcome) => ({ outcome, lines: this.lines().filter((l) => l.outcome === outcome) }))
      .filter((g) => g.lines.length > 0),
  );
}

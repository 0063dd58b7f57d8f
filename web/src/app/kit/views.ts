import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import { RouterLink, RouterLinkActive } from '@angular/router';

export interface View {
  readonly path: string;
  readonly name: string;
}

/** The ways to look at one area, in a row below its heading. */
@Component({
  selector: 'kc-views',
  imports: [RouterLink, RouterLinkActive],
  template: `
    <nav [attr.aria-label]="label()">
      @for (view of matched(); track view.path) {
        <a [routerLink]="view.path" routerLinkActive="on" ariaCurrentWhenActive="page" [routerLinkActiveOptions]="view.matching">{{
          view.name
        }}</a>
      }
    </nav>
  `,
  styles: `
    nav {
      display: flex;
      flex-wrap: wrap;
      border-bottom: 1px solid var(--line);
      margin-bottom: 12px;
    }
    a {
      padding: 5px 12px 6px;
      text-decoration: none;
      color: var(--ink-2);
      border-bottom: 2px solid transparent;
      margin-bottom: -1px;
    }
    a:hover {
      color: var(--ink);
    }
    a.on {
      color: var(--ink);
      font-weight: 600;
      border-bottom-color: var(--brass);
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class Views {
  readonly label = input.required<string>();
  readonly views = input.required<readonly View[]>();

  /** What is below a view is of it, unless other views are below it too; what is asked of a view does not make it another one. */
  protected readonly matched = computed(() =>
    this.views().map((view, _, all) => {
      const paths = all.some((other) => other.path.startsWith(`${view.path}/`)) ? ('exact' as const) : ('subset' as const);
      return { ...view, matching: { paths, queryParams: 'ignored', matrixParams: 'ignored', fragment: 'ignored' } as const };
    }),
  );
}

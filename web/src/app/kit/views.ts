import { ChangeDetectionStrategy, Component, input } from '@angular/core';
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
      @for (view of views(); track view.path) {
        <a [routerLink]="view.path" routerLinkActive="on" ariaCurrentWhenActive="page" [routerLinkActiveOptions]="samePath">{{
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
  /** What is asked of a view does not make it another one. */
  protected readonly samePath = { paths: 'exact', queryParams: 'ignored', matrixParams: 'ignored', fragment: 'ignored' } as const;
  readonly label = input.required<string>();
  readonly views = input.required<readonly View[]>();
}

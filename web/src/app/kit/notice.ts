import { ChangeDetectionStrategy, Component, input } from '@angular/core';
import { RouterLink } from '@angular/router';
import type { Problem } from '@key-cellar/contract';

/** What went wrong, in a sentence. Announced to screen readers. */
@Component({
  selector: 'kc-problem',
  imports: [RouterLink],
  template: `
    @if (problem(); as p) {
      @if (whole()) {
        <div role="alert">
          <h1>{{ p.title }}</h1>
          <p class="lede">{{ p.detail }}</p>
        </div>
        <p><a routerLink="/today" i18n>Go to today</a></p>
      } @else {
        <div class="problem" role="alert">
          <b>{{ p.title }}.</b> {{ p.detail }}
        </div>
      }
    }
  `,
  styles: `
    /* Nothing wrong takes no place in a form either. */
    :host:empty {
      display: none;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class ProblemNotice {
  readonly problem = input<Problem | null>(null);
  /** Whether it stands in place of a page that could not be shown, and is its heading. */
  readonly whole = input(false);
}

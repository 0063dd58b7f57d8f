import { ChangeDetectionStrategy, Component, input } from '@angular/core';
import type { Problem } from '@key-cellar/contract';

/** What went wrong, in a sentence. Announced to screen readers. */
@Component({
  selector: 'kc-problem',
  template: `
    @if (problem(); as p) {
      <div class="problem" role="alert">
        <b>{{ p.title }}.</b> {{ p.detail }}
      </div>
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
}

import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import type { MarkingLine } from '@key-cellar/contract';

/** A marking in words; nothing where nothing is marked. */
export function markingWords({ level, caveats }: MarkingLine): string {
  return [...(level > 0 ? [$localize`level ${level}:level:`] : []), ...caveats].join(' · ');
}

/** How something is marked, in a line; nothing where it is not. */
@Component({
  selector: 'kc-marking-words',
  template: `
    @if (words(); as w) {
      <p>
        <span class="quiet" i18n>Marking</span> <span class="mono">{{ w }}</span>
      </p>
    }
  `,
  styles: `
    p {
      margin: 0 0 6px;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class MarkingWords {
  readonly marking = input.required<MarkingLine>();
  protected readonly words = computed(() => markingWords(this.marking()));
}

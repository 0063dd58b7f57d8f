import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import type { ResponseOf, schedule } from '@key-cellar/contract';
import { EffectFound } from './effectFound';

/** What a trial of an act on records found: what it says in all (as content), what is refused and why, and what it does to dates. */
@Component({
  selector: 'kc-trial-found',
  imports: [EffectFound],
  template: `
    <div class="tried" role="status">
      <ng-content />
      @if (refused().length > 0) {
        <ul>
          @for (line of refused().slice(0, 6); track line.id) {
            <li>
              <span class="clip">{{ line.name }}</span>
              <span class="why madder">{{ line.why }}</span>
            </li>
          }
        </ul>
      }
      @if (found().effect; as effect) {
        <kc-effect-found [found]="effect" />
      }
    </div>
  `,
  styles: `
    .tried {
      display: grid;
      gap: 10px;
    }
    li {
      display: grid;
      grid-template-columns: minmax(0, 1fr) auto;
      gap: 10px;
      border-top: 1px solid var(--line-soft);
      padding: 3px 0;
    }
    .why {
      font-size: 12.5px;
      max-width: 320px;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class TrialFound {
  readonly found = input.required<Pick<ResponseOf<typeof schedule.override>, 'effect'> & { readonly results: readonly RefusedLine[] }>();
  protected readonly refused = computed(() => this.found().results.filter((l) => l.outcome === 'refused'));
}

interface RefusedLine {
  readonly id: string;
  readonly name: string;
  readonly outcome: string;
  readonly why: string;
}

import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import type { HoldLine } from '@key-cellar/contract';
import { CountPipe } from '../kit/words';

/** How far a hold has come, from 0 to 100; null while it waits to look. */
export function percentOf(doing: NonNullable<HoldLine['doing']>): number | null {
  if (doing.total === null) return null;
  return doing.total === 0 ? 100 : Math.floor((100 * doing.done) / doing.total);
}

/** What a hold is still doing, and what that means meanwhile. */
@Component({
  selector: 'kc-hold-doing',
  imports: [CountPipe],
  template: `
    <div class="doing panel" role="status">
      @if (doing().total === null) {
        <progress aria-label="Progress" i18n-aria-label></progress>
        @if (doing().what === 'covering') {
          <span i18n
            >The hold stands. It looks for what it covers as soon as everything that was being written when it was placed has ended.</span
          >
        } @else {
          <span i18n>The hold is released, and is about to let go of what it covers.</span>
        }
      } @else {
        <progress [value]="doing().done" [max]="doing().total || 1" aria-label="Progress" i18n-aria-label></progress>
        @if (doing().what === 'covering') {
          <span i18n
            ><b>{{ percent() }} %</b> covered: {{ doing().done | count }} of {{ doing().total! | count }} records.</span
          >
        } @else {
          <span i18n
            ><b>{{ percent() }} %</b> let go: {{ doing().done | count }} of {{ doing().total! | count }} records. The others are held until
            it comes to them.</span
          >
        }
      }
      @if (doing().what === 'covering') {
        <span class="quiet" i18n>Whatever matches is safe from now on: nothing goes, or changes, that the hold has not looked at.</span>
      }
    </div>
  `,
  styles: `
    .doing {
      display: flex;
      flex-wrap: wrap;
      align-items: center;
      gap: 4px 12px;
      padding: 8px 14px;
      margin-bottom: 12px;
    }
    progress {
      width: 180px;
      accent-color: var(--bottle);
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class HoldDoing {
  readonly doing = input.required<NonNullable<HoldLine['doing']>>();
  protected readonly percent = computed(() => percentOf(this.doing()));
}

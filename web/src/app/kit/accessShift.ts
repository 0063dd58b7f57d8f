import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import type { AccessShift } from '@key-cellar/contract';
import { CountPipe } from './words';

/** Whose access changes, and on how much, line by line. */
@Component({
  selector: 'kc-access-shift',
  imports: [CountPipe],
  template: `
    @if (shift(); as s) {
      @if (s.people === 0) {
        <p i18n>Nobody gains or loses access to anything that you can see.</p>
      } @else {
        @for (part of parts(); track part.heading) {
          <p class="heading">
            <b>{{ part.heading }}</b>
          </p>
          <ul>
            @for (line of part.lines; track $index) {
              <li>{{ line }}</li>
            }
          </ul>
        }
        @if (more() > 0) {
          <p class="quiet" i18n>and {{ more() | count }} more</p>
        }
      }
    }
  `,
  styles: `
    .heading {
      margin-bottom: 2px;
    }
    ul {
      margin: 0 0 10px;
      padding-left: 1.1rem;
      max-height: 12rem;
      overflow: auto;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class AccessShiftWords {
  readonly shift = input.required<AccessShift | null>();
  protected readonly parts = computed(() => {
    const { gains, loses } = this.shift()!;
    return [
      { heading: $localize`Gain access`, lines: gains },
      { heading: $localize`Lose access`, lines: loses },
    ].filter(({ lines }) => lines.length > 0);
  });
  protected readonly more = computed(() => this.shift()!.people - this.shift()!.gains.length - this.shift()!.loses.length);
}

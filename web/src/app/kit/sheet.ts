import { ChangeDetectionStrategy, Component, input, model } from '@angular/core';
import { Drawer } from 'primeng/drawer';

/** A short task from the right edge. Esc closes it; focus returns to where it was. */
@Component({
  selector: 'kc-sheet',
  imports: [Drawer],
  template: `
    <p-drawer
      [(visible)]="open"
      position="right"
      [style]="{ width: 'min(' + width() + 'px, 100vw)' }"
      [header]="heading()"
      [modal]="true"
      [blockScroll]="false"
      [pt]="{ root: { role: 'dialog', 'aria-modal': 'true', 'aria-label': heading() } }"
    >
      @if (open()) {
        <ng-content />
      }
    </p-drawer>
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class Sheet {
  readonly open = model.required<boolean>();
  readonly heading = input.required<string>();
  readonly width = input(460);
}

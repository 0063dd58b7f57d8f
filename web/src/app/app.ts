import { ChangeDetectionStrategy, Component, inject } from '@angular/core';
import { RouterOutlet } from '@angular/router';
import { Theme } from './kit/theme';

@Component({
  selector: 'kc-root',
  imports: [RouterOutlet],
  template: '<router-outlet />',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class App {
  // Made here so that the theme is set before anything is drawn.
  protected readonly theme = inject(Theme);
}

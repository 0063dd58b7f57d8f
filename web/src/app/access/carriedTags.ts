import { ChangeDetectionStrategy, Component, input } from '@angular/core';
import { RouterLink } from '@angular/router';
import type { TagRef } from '@key-cellar/contract';

/** Access tags that something carries itself, in a line; nothing where it carries none. */
@Component({
  selector: 'kc-carried-tags',
  imports: [RouterLink],
  template: `
    @if (tags().length > 0) {
      <p>
        <span class="quiet" i18n>Access tags</span>
        @for (tag of tags(); track tag.id) {
          <a [routerLink]="['/access/tags', tag.id]" [class.quiet]="!tag.active">{{ tag.name }}</a>
          @if (!tag.active) {
            <span class="madder small" i18n>not in use</span>
          }
        }
      </p>
    }
  `,
  styles: `
    p {
      display: flex;
      flex-wrap: wrap;
      gap: 4px 10px;
      margin: 0 0 6px;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class CarriedTags {
  readonly tags = input.required<readonly TagRef[]>();
}

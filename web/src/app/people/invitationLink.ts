import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import type { Invitation } from '@key-cellar/contract';
import { LinkOnce } from '../kit/linkOnce';
import { InstantPipe } from '../kit/words';

/** A link to choose a password, to be handed on. It is shown once; one that went by mail is not shown at all. */
@Component({
  selector: 'kc-invitation-link',
  imports: [InstantPipe, LinkOnce],
  template: `
    @if (invitation().token === null) {
      <p role="status" i18n>
        A link to choose a password is on its way to {{ name() }}. It works once, until {{ invitation().until | instant }}.
      </p>
    } @else {
      <kc-link-once [address]="address()">
        <ng-container i18n>
          Hand this link to {{ name() }}. Whoever opens it chooses the password. It works once, until {{ invitation().until | instant }},
          and is shown only now.
        </ng-container>
      </kc-link-once>
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class InvitationLink {
  readonly invitation = input.required<Invitation>();
  readonly name = input.required<string>();
  /** Behind the hash it is sent to no server. */
  protected readonly address = computed(() => `${location.origin}/welcome#${this.invitation().token}`);
}

import { ChangeDetectionStrategy, Component, input, model } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { InputText } from 'primeng/inputtext';

/** A field for a password that somebody chooses. */
@Component({
  selector: 'kc-new-password',
  imports: [FormsModule, InputText],
  template: `
    <label for="new-password" i18n>New password</label>
    <input
      pInputText
      id="new-password"
      name="new-password"
      type="password"
      required
      autocomplete="new-password"
      [attr.aria-invalid]="wrong() ? true : null"
      aria-describedby="new-password-said"
      [ngModel]="value()"
      (ngModelChange)="value.set($event)"
    />
    <span id="new-password-said">
      @if (wrong(); as why) {
        <span class="wrong" role="alert">{{ why }}</span>
      } @else {
        <span class="hint" i18n>At least 12 characters; a few words are easier to remember than signs.</span>
      }
    </span>
  `,
  host: { class: 'field' },
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class NewPassword {
  readonly value = model('');
  readonly wrong = input<string>();
}

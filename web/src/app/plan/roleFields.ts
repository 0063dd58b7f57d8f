import { ChangeDetectionStrategy, Component, input, model } from '@angular/core';
import { Choice, type Option } from '../kit/choice';

/** Who has which role in a use of a stencil: a person or group for each. */
@Component({
  selector: 'kc-role-fields',
  imports: [Choice],
  template: `
    <div class="row-fields">
      @for (role of roles(); track role.code) {
        <kc-choice
          [field]="prefix() + role.code"
          [label]="role.title"
          placeholder="a person or group"
          i18n-placeholder
          [options]="people()"
          [value]="values()[role.code] ?? null"
          (valueChange)="name(role.code, $event)"
        />
      }
    </div>
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class RoleFields {
  readonly roles = input.required<readonly { readonly code: string; readonly title: string }[]>();
  readonly people = input.required<readonly Option<string>[]>();
  /** Start of the ids of its fields. */
  readonly prefix = input.required<string>();
  /** Ids by the code of the role. */
  readonly values = model.required<Readonly<Record<string, string>>>();

  protected name(code: string, id: string | null): void {
    const { [code]: _before, ...others } = this.values();
    this.values.set(id === null ? others : { ...others, [code]: id });
  }
}

import { ChangeDetectionStrategy, Component, inject, input, linkedSignal, model, output } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { programs, type ProgramLine } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { Api } from '../kit/api';
import { Doing } from '../kit/doing';
import { ProblemNotice } from '../kit/notice';
import { NumberField } from '../kit/numberField';
import { Sheet } from '../kit/sheet';
import { TextField } from '../kit/textField';

/** A program: what it is called, how far it is cleared, and whether it may do anything at all. */
@Component({
  selector: 'kc-program-sheet',
  imports: [Button, FormsModule, NumberField, ProblemNotice, Sheet, TextField],
  template: `
    <kc-sheet [(open)]="open" [heading]="program()?.name ?? labels.add">
      <form class="form" novalidate (ngSubmit)="save()">
        <kc-text-field
          field="program-name"
          label="Name"
          i18n-label
          [needed]="true"
          [maxlength]="80"
          [wrong]="doing.wrong()['/name']"
          [value]="draft().name"
          (valueChange)="set({ name: $event })"
        />
        <kc-number-field
          field="program-level"
          label="Clearance level"
          i18n-label
          [min]="0"
          [max]="9"
          [value]="draft().level"
          (valueChange)="set({ level: $event })"
        />
        @if (program()) {
          <label class="check">
            <input type="checkbox" name="active" [ngModel]="draft().active" (ngModelChange)="set({ active: $event })" />
            <span i18n>In use: its tokens work</span>
          </label>
        }
        <kc-problem [problem]="doing.problem()" />
        <p-button type="submit" [disabled]="doing.busy() || !draft().name.trim()" [label]="program() ? labels.save : labels.add" />
      </form>
    </kc-sheet>
  `,
  styles: `
    .check {
      display: flex;
      gap: 8px;
      align-items: center;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class ProgramSheet {
  protected readonly labels = { add: $localize`Add a program`, save: $localize`Save` };
  private readonly api = inject(Api);
  readonly open = model.required<boolean>();
  /** Null: a new one. */
  readonly program = input.required<ProgramLine | null>();
  readonly changed = output();
  protected readonly doing = new Doing();
  protected readonly draft = linkedSignal(() => {
    const p = this.program();
    return { name: p?.name ?? '', level: p?.clearance.level ?? 0, active: p?.active ?? true };
  });

  protected set(changes: Partial<{ name: string; level: number; active: boolean }>): void {
    this.draft.update((draft) => ({ ...draft, ...changes }));
  }

  protected save(): void {
    const program = this.program();
    const { name, level, active } = this.draft();
    const body = { name: name.trim(), clearance: { level, caveats: [...(program?.clearance.caveats ?? [])] } };
    const call = program
      ? this.api.call(programs.change, { params: { id: program.id }, body: { ...body, active, revision: program.revision } })
      : this.api.call(programs.make, { body });
    this.doing.run<unknown>(call, () => {
      this.changed.emit();
      this.open.set(false);
    });
  }
}

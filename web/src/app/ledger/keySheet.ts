import { ChangeDetectionStrategy, Component, inject, model, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { ledger, type Problem } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { Api, toProblem } from '../kit/api';
import { ProblemNotice } from '../kit/notice';
import { Sheet } from '../kit/sheet';
import { TextField } from '../kit/textField';

/** Lets a new key sign tree heads from now on. */
@Component({
  selector: 'kc-key-sheet',
  imports: [TextField, Button, FormsModule, ProblemNotice, Sheet],
  template: `
    <kc-sheet [(open)]="open" heading="Change the signing key" i18n-heading>
      <form (ngSubmit)="change()">
        <p i18n>
          A new key signs tree heads from now on. The old key signs the handover and is destroyed. What it signed stays verifiable; the
          witness is informed.
        </p>
        <kc-text-field
          field="key-why"
          label="Why"
          i18n-label
          hint="Recorded in the ledger, such as: server replaced, administrator left, a year has passed."
          i18n-hint
          [maxlength]="500"
          [value]="why()"
          (valueChange)="why.set($event)"
        />
        <kc-problem [problem]="problem()" />
        <p class="acts">
          <p-button type="submit" label="Change the key" i18n-label [disabled]="busy() || !why().trim()" />
          <p-button type="button" severity="secondary" [outlined]="true" label="Cancel" i18n-label (onClick)="open.set(false)" />
        </p>
      </form>
    </kc-sheet>
  `,
  styles: `
    form {
      display: grid;
      gap: 14px;
    }
    .field {
      display: grid;
      gap: 4px;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class KeySheet {
  private readonly api = inject(Api);
  readonly open = model.required<boolean>();
  readonly changed = output();

  protected readonly why = signal('');
  protected readonly busy = signal(false);
  protected readonly problem = signal<Problem | null>(null);

  protected change(): void {
    this.busy.set(true);
    this.problem.set(null);
    this.api.call(ledger.changeKey, { body: { why: this.why().trim() } }).subscribe({
      next: () => {
        this.busy.set(false);
        this.why.set('');
        this.open.set(false);
        this.changed.emit();
      },
      error: (error: unknown) => {
        this.busy.set(false);
        this.problem.set(toProblem(error));
      },
    });
  }
}

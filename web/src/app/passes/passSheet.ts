import { ChangeDetectionStrategy, Component, computed, effect, inject, input, model, output, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { passes, type Problem, type ResponseOf } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { Session } from '../identity/index';
import { Api, toProblem } from '../kit/api';
import { DateField } from '../kit/dateField';
import { LinkOnce } from '../kit/linkOnce';
import { LongTextField } from '../kit/longTextField';
import { ProblemNotice } from '../kit/notice';
import { NumberField } from '../kit/numberField';
import { Sheet } from '../kit/sheet';
import { TextField } from '../kit/textField';
import { DayPipe } from '../kit/words';

/** Makes a pass for somebody without an account: to records, or to what lies in a place. Its link is shown once. */
@Component({
  selector: 'kc-pass-sheet',
  imports: [Button, DateField, DayPipe, FormsModule, LinkOnce, LongTextField, NumberField, ProblemNotice, Sheet, TextField],
  template: `
    <kc-sheet [(open)]="open" heading="Visitor pass" i18n-heading>
      @if (made(); as m) {
        <kc-link-once [address]="address()">
          <ng-container i18n>
            Hand this link to {{ visitor() }}. It works until {{ m.until | day }} and is shown only now. It can be revoked under Access.
          </ng-container>
        </kc-link-once>
        @if (passphrase().trim()) {
          <p class="quiet" i18n>Tell them the passphrase in another way than the link.</p>
        }
        <p-button label="Close" i18n-label (onClick)="open.set(false)" />
      } @else {
        <form class="form" (submit)="$event.preventDefault(); make()">
          <p class="sheet-note">
            @if (placeName()) {
              <ng-container i18n
                >For someone without an account: what lies in {{ placeName() }}, now and later, as far as you may link to it.</ng-container
              >
            } @else {
              <ng-container i18n>
                For someone without an account: {recordIds().length, plural, =1 {this record} other {{{ recordIds().length }} records}}, as
                long as you may link to it.
              </ng-container>
            }
          </p>
          <kc-text-field
            field="pass-visitor"
            label="For"
            i18n-label
            placeholder="Name of the visitor"
            i18n-placeholder
            [needed]="true"
            [maxlength]="120"
            [value]="visitor()"
            (valueChange)="visitor.set($event)"
            [wrong]="wrong('/visitor')"
          />
          <kc-long-text-field
            field="pass-reason"
            label="Reason"
            i18n-label
            [needed]="true"
            [rows]="2"
            [maxlength]="2000"
            [value]="reason()"
            (valueChange)="reason.set($event)"
          />
          <kc-date-field
            field="pass-until"
            label="Until, that day included"
            i18n-label
            placeholder="30 days"
            i18n-placeholder
            [min]="session.today()"
            [value]="until()"
            (valueChange)="until.set($event)"
          />
          <kc-number-field
            field="pass-openings"
            label="Openings"
            i18n-label
            hint="empty: any number"
            i18n-hint
            [min]="1"
            [max]="1000"
            [value]="openings()"
            (valueChange)="openings.set($event)"
            [wrong]="wrong('/openings')"
          />
          <kc-text-field
            field="pass-passphrase"
            label="Passphrase"
            i18n-label
            hint="asked for besides the link; empty: none"
            i18n-hint
            [value]="passphrase()"
            (valueChange)="passphrase.set($event)"
            [wrong]="wrong('/passphrase')"
          />
          @if (session.may('copyOut')) {
            <label class="check">
              <input type="checkbox" name="copyOut" [ngModel]="copyOut()" (ngModelChange)="copyOut.set($event)" />
              <span i18n>may take copies; else pages are shown as pictures with the visitor’s name on them</span>
            </label>
          }
          <kc-problem [problem]="problem()" />
          <p-button type="submit" [disabled]="busy() || !ready()" label="Make the pass" i18n-label />
        </form>
      }
    </kc-sheet>
  `,
  styles: `
    .check {
      display: flex;
      gap: 8px;
      align-items: baseline;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class PassSheet {
  private readonly api = inject(Api);
  protected readonly session = inject(Session);
  readonly open = model.required<boolean>();
  readonly recordIds = input<readonly string[]>([]);
  readonly placeId = input<string | null>(null);
  /** Code and title of the place. */
  readonly placeName = input('');
  readonly acted = output();
  protected readonly visitor = signal('');
  protected readonly reason = signal('');
  protected readonly until = signal<string | null>(null);
  protected readonly openings = signal<number | null>(null);
  protected readonly passphrase = signal('');
  protected readonly copyOut = signal(false);
  protected readonly busy = signal(false);
  protected readonly problem = signal<Problem | null>(null);
  protected readonly made = signal<ResponseOf<typeof passes.make> | null>(null);
  protected readonly ready = computed(() => this.visitor().trim() !== '' && this.reason().trim().length >= 3);
  /** Behind the hash it is sent to no server. */
  protected readonly address = computed(() => `${location.origin}/pass#${this.made()?.token}`);

  constructor() {
    effect(() => {
      if (this.open()) untracked(() => this.begin());
    });
  }

  private begin(): void {
    for (const text of [this.visitor, this.reason, this.passphrase]) text.set('');
    this.until.set(null);
    this.openings.set(null);
    this.copyOut.set(false);
    this.problem.set(null);
    this.made.set(null);
  }

  protected wrong(pointer: string): string | undefined {
    return this.problem()?.fields?.find((f) => f.pointer === pointer)?.sentence;
  }

  protected make(): void {
    this.busy.set(true);
    this.problem.set(null);
    const body = {
      visitor: this.visitor().trim(),
      reason: this.reason().trim(),
      recordIds: [...this.recordIds()],
      placeId: this.placeId(),
      until: this.until(),
      openings: this.openings(),
      passphrase: this.passphrase().trim() || null,
      copyOut: this.copyOut(),
    };
    this.api.call(passes.make, { body }).subscribe({
      next: (made) => {
        this.busy.set(false);
        this.made.set(made);
        this.acted.emit();
      },
      error: (error: unknown) => {
        this.busy.set(false);
        this.problem.set(toProblem(error));
      },
    });
  }
}

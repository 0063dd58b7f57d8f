import { ChangeDetectionStrategy, Component, computed, inject, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { federation, identity, type ResponseOf } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { InputText } from 'primeng/inputtext';
import qrcode from 'qrcode-generator';
import { Api } from '../kit/api';
import { Doing } from '../kit/doing';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';

type Step = 'standing' | 'password' | 'scan' | 'codes' | 'end' | 'more';

/** Setting up a second factor step by step, new recovery codes, and its end. */
@Component({
  selector: 'kc-second-factor-steps',
  imports: [Button, FormsModule, InputText, ProblemNotice],
  template: `
    @switch (step()) {
      @case ('standing') {
        @if (page.value(); as p) {
          @if (p.on) {
            <p i18n>
              A second factor is set up: signing in takes a code of your app.
              {p.codesLeft, plural,
                =0 {No recovery code is left}
                =1 {One recovery code is left}
                other {{{ p.codesLeft }} recovery codes are left}

              }.
            </p>
            <div class="acts">
              <p-button severity="secondary" [outlined]="true" label="New recovery codes" i18n-label (onClick)="go('more')" />
              @if (!p.asked) {
                <p-button severity="secondary" [text]="true" label="End it" i18n-label (onClick)="go('end')" />
              }
            </div>
          } @else {
            <p i18n>
              With a second factor nobody gets in with your password alone: an app on your telephone shows a code that changes every half
              minute.
            </p>
            @if (p.asked) {
              <p class="madder" i18n>A group that you are in asks for it.</p>
            }
            <p-button label="Set it up" i18n-label (onClick)="go('password')" />
          }
        }
      }
      @case ('codes') {
        <p i18n>
          Write these recovery codes down, or print them. Each works once, on the day on which the telephone is gone. They are shown only
          now.
        </p>
        <ul class="codes mono">
          @for (code of codes(); track code) {
            <li>{{ code }}</li>
          }
        </ul>
        <p-button label="I have them" i18n-label (onClick)="done()" />
      }
      @default {
        <form class="form" (ngSubmit)="next()">
          @if (step() === 'scan') {
            <p i18n>Scan this with an authenticator app, or type in the key below it. Then type the code that it shows.</p>
            <svg class="qr" [attr.viewBox]="'0 0 ' + size() + ' ' + size()" role="img" aria-label="Key as a QR code" i18n-aria-label>
              <path [attr.d]="squares()" />
            </svg>
            <code class="secret">{{ spaced() }}</code>
          } @else if (hasPassword()) {
            <div class="field">
              <label for="factor-password" i18n>Your password</label>
              <input
                pInputText
                id="factor-password"
                name="password"
                type="password"
                autocomplete="current-password"
                [ngModel]="password()"
                (ngModelChange)="password.set($event)"
              />
            </div>
          }
          @if (step() !== 'password') {
            <div class="field">
              <label for="factor-code" i18n>Code</label>
              <input
                pInputText
                id="factor-code"
                name="code"
                class="mono"
                autocomplete="one-time-code"
                inputmode="numeric"
                maxlength="40"
                [ngModel]="code()"
                (ngModelChange)="code.set($event)"
              />
              @if (wrongCode(); as sentence) {
                <span class="wrong">{{ sentence }}</span>
              }
            </div>
          }
          @if (!wrongCode()) {
            <kc-problem [problem]="doing.problem()" />
          }
          <div class="acts">
            <p-button type="submit" [disabled]="doing.busy() || !ready()" [label]="labels[step()]!" />
            <p-button type="button" severity="secondary" [text]="true" label="Back" i18n-label (onClick)="go('standing')" />
          </div>
        </form>
      }
    }
    <kc-problem [problem]="page.problem()" />
  `,
  styles: `
    :host {
      display: grid;
      gap: 12px;
      justify-items: start;
    }
    .qr {
      width: 220px;
      height: 220px;
      padding: 10px;
      background: #fff;
      border: 1px solid var(--line);
    }
    .qr path {
      fill: #14201b;
    }
    .secret {
      overflow-wrap: anywhere;
    }
    .codes {
      display: grid;
      grid-template-columns: repeat(auto-fill, minmax(210px, 1fr));
      gap: 4px 16px;
      width: 100%;
      padding: 10px 12px;
      border: 1px solid var(--line);
      background: var(--surface);
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class SecondFactorSteps {
  protected readonly labels: Readonly<Partial<Record<Step, string>>> = {
    password: $localize`Continue`,
    scan: $localize`Use it from now on`,
    end: $localize`End it`,
    more: $localize`Make new codes`,
  };
  private readonly api = inject(Api);
  readonly changed = output();
  protected readonly page = loaded(() => this.api.call(identity.secondFactor));
  /** Whoever has no password shows who they are by having signed in just now. */
  private readonly links = loaded(() => this.api.call(federation.links));
  protected readonly hasPassword = computed(() => this.links.value()?.hasPassword !== false);
  protected readonly step = signal<Step>('standing');
  protected readonly password = signal('');
  protected readonly code = signal('');
  protected readonly begun = signal<ResponseOf<typeof identity.beginSecond> | null>(null);
  protected readonly codes = signal<readonly string[]>([]);
  protected readonly doing = new Doing();
  protected readonly wrongCode = computed(() => this.doing.wrong()['/code']);
  protected readonly ready = computed(() => {
    const [password, code] = [
      this.password() !== '' || !this.hasPassword() || this.step() === 'scan',
      this.code().trim() !== '' || this.step() === 'password',
    ];
    return password && code;
  });
  private readonly drawn = computed(() => {
    const qr = qrcode(0, 'M');
    qr.addData(this.begun()?.uri ?? '');
    qr.make();
    return qr;
  });
  protected readonly size = computed(() => this.drawn().getModuleCount());
  protected readonly squares = computed(() => {
    const [qr, n] = [this.drawn(), this.size()];
    const numbers = Array.from({ length: n }, (_, i) => i);
    return numbers.flatMap((row) => numbers.filter((col) => qr.isDark(row, col)).map((col) => `M${col} ${row}h1v1h-1z`)).join('');
  });
  protected readonly spaced = computed(() => this.begun()?.secret.replace(/(.{4})(?=.)/g, '$1 ') ?? '');

  protected go(step: Step): void {
    this.password.set('');
    this.code.set('');
    this.doing.problem.set(null);
    this.step.set(step);
  }

  protected done(): void {
    this.codes.set([]);
    this.go('standing');
    this.page.reload();
    this.changed.emit();
  }

  protected next(): void {
    const [password, code] = [this.password(), this.code().trim()];
    switch (this.step()) {
      case 'password':
        return this.doing.run(this.api.call(identity.beginSecond, { body: { password } }), (begun) => {
          this.begun.set(begun);
          this.go('scan');
        });
      case 'scan':
        return this.doing.run(this.api.call(identity.confirmSecond, { body: { code } }), (made) => this.show(made));
      case 'more':
        return this.doing.run(this.api.call(identity.newCodes, { body: { password, code } }), (made) => this.show(made));
      default:
        return this.doing.run(this.api.call(identity.endSecond, { body: { password, code } }), () => this.done());
    }
  }

  private show({ codes }: { readonly codes: readonly string[] }): void {
    this.begun.set(null);
    this.codes.set(codes);
    this.step.set('codes');
  }
}

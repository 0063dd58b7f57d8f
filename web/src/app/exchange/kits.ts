import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { exchange, type KitLine, type PackageOutcome } from '@key-cellar/contract';
import { isLanguage, languageNames, languages, type Language } from '@key-cellar/words';
import { Button } from 'primeng/button';
import { pageLanguage } from '../../words/language';
import { Api } from '../kit/api';
import { Choice } from '../kit/choice';
import { Doing } from '../kit/doing';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { CountPipe } from '../kit/words';
import { applyWords, isReady, PackageOutcomeView } from './outcome';

/** Kits to begin with: each tried on this repository, and taken in with what it brings in sight. */
@Component({
  selector: 'kc-kits',
  imports: [Button, Choice, CountPipe, PackageOutcomeView, ProblemNotice],
  template: `
    <p class="quiet" i18n>
      A small plan with its rules, record types, profiles and groups, made up as an example. A kit only adds what is not here yet. Its
      periods are examples: each rule is to be checked against the law that applies to you.
    </p>
    <kc-choice
      field="kit-language"
      label="In which language"
      i18n-label
      [options]="ways"
      [value]="language()"
      (valueChange)="speak($event)"
    />
    <kc-problem [problem]="doing.problem() ?? kits.problem()" />
    <ul class="frame">
      @for (kit of kits.value()?.kits ?? []; track kit.code) {
        <li>
          <div>
            <b>{{ kit.title }}</b> · {{ kit.about }}
            <p class="quiet small" i18n>
              {{ kit.series | count }} series, {{ kit.rules | count }} rules, {{ kit.recordTypes | count }} record types,
              {{ kit.groups | count }} groups ·
              <a [href]="'/api/kits/' + kit.code + '/package?language=' + language()" download>as a package</a>
            </p>
          </div>
          <p-button
            size="small"
            severity="secondary"
            [outlined]="true"
            label="Try it"
            i18n-label
            [ariaLabel]="tryWords(kit)"
            [disabled]="doing.busy()"
            (onClick)="bring(kit, true)"
          />
        </li>
      }
    </ul>
    @if (doing.busy()) {
      <p role="status" class="quiet" i18n>Trying the kit …</p>
    }
    @if (done(); as kit) {
      <p role="status" i18n>{{ kit.title }}: imported. What comes next is on Today.</p>
    }
    @if (outcome(); as o) {
      <h3>{{ chosen()?.title }}</h3>
      <kc-package-outcome [outcome]="o">
        @if (ready()) {
          <p-button [disabled]="doing.busy()" [label]="applyLabel()" (onClick)="bring(chosen()!, false)" />
        }
      </kc-package-outcome>
    }
  `,
  styles: `
    kc-choice {
      display: block;
      max-width: 16rem;
      margin: 8px 0 12px;
    }
    ul {
      list-style: none;
      margin: 0 0 12px;
      padding: 0;
    }
    li {
      display: flex;
      align-items: center;
      justify-content: space-between;
      gap: 16px;
      padding: 8px 12px;
    }
    li + li {
      border-top: 1px solid var(--line);
    }
    li p {
      margin: 2px 0 0;
    }
    p-button {
      flex: none;
    }
    h3 {
      margin: 16px 0 0;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class Kits {
  private readonly api = inject(Api);
  protected readonly doing = new Doing();
  protected readonly ways: readonly { value: Language; name: string }[] = languages.map((value) => ({ value, name: languageNames[value] }));
  protected readonly language = signal<Language>(isLanguage(pageLanguage) ? pageLanguage : 'en');
  protected readonly kits = loaded(() => this.api.call(exchange.kits, { query: { language: this.language() } }));
  /** The kit that is looked at, and what it would bring. */
  protected readonly chosen = signal<KitLine | null>(null);
  protected readonly outcome = signal<PackageOutcome | null>(null);
  protected readonly done = signal<KitLine | null>(null);
  protected readonly ready = computed(() => isReady(this.outcome()));
  protected readonly applyLabel = computed(() => applyWords(this.outcome()));

  protected tryWords = (kit: KitLine): string => $localize`Try the kit ${kit.title}:kit:`;

  protected speak(language: Language | null): void {
    if (language === null) return;
    this.language.set(language);
    this.outcome.set(null);
    this.done.set(null);
  }

  protected bring(kit: KitLine, dryRun: boolean): void {
    this.chosen.set(kit);
    this.outcome.set(null);
    this.done.set(null);
    const asked = this.api.call(exchange.importKit, { params: { kit: kit.code }, body: { language: this.language(), dryRun } });
    this.doing.run(asked, (outcome) => {
      const kept = dryRun || outcome.errors.length > 0 || outcome.conflicts.length > 0;
      this.outcome.set(kept ? outcome : null);
      this.done.set(kept ? null : kit);
    });
  }
}

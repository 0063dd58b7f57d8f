import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import type { RuleDefinition, RulePage } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { compareRules } from './ruleLines';

/** What somebody else did to a rule while one was editing it, line by line, with what one has oneself; one of both goes on. */
@Component({
  selector: 'kc-meanwhile',
  imports: [Button],
  template: `
    <section class="panel" aria-label="What changed meanwhile" i18n-aria-label>
      <h2>{{ what() }}</h2>
      <ul>
        @for (line of lines(); track line.name) {
          <li>
            <span class="name">{{ line.name }}</span>
            <span
              >{{ line.was ?? none }} → <b>{{ line.now ?? none }}</b></span
            >
            @if (line.mine !== line.now) {
              <span class="quiet small"><ng-container i18n>yours</ng-container>: {{ line.mine ?? none }}</span>
            }
          </li>
        } @empty {
          <li i18n>It is unchanged.</li>
        }
      </ul>
      <div class="acts">
        <p-button severity="secondary" [outlined]="true" label="Take theirs" i18n-label (onClick)="theirs.emit()" />
        <p-button label="Keep my edits on top" i18n-label (onClick)="mine.emit()" />
      </div>
    </section>
  `,
  styles: `
    section {
      border-inline-start: 3px solid var(--brass);
      padding: 12px 16px;
      margin-bottom: 12px;
    }
    h2 {
      font-size: 15px;
      margin-bottom: 6px;
    }
    li {
      display: grid;
      grid-template-columns: 170px 1fr;
      padding: 4px 0;
      border-top: 1px solid var(--line-soft);
    }
    li .small {
      grid-column: 2;
    }
    .name {
      color: var(--ink-2);
    }
    .acts {
      margin-top: 10px;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class Meanwhile {
  /** The rule as one began to edit it, with its versions. */
  readonly before = input.required<RulePage>();
  /** What one began with. */
  readonly base = input.required<RuleDefinition>();
  readonly after = input.required<RulePage>();
  readonly draft = input.required<RuleDefinition>();
  readonly mine = output();
  readonly theirs = output();

  protected readonly none = $localize`no such step`;
  private readonly newest = computed(() => this.after().draft ?? this.after().versions[0]?.definition ?? this.base());
  protected readonly what = computed(() => {
    const [version] = this.after().versions;
    if (!this.after().draft && this.before().draft && this.after().versions.length === this.before().versions.length) {
      return $localize`Somebody discarded the draft while you were editing.`;
    }
    return version && this.after().versions.length > this.before().versions.length
      ? $localize`${version.publishedBy}:name: published version ${version.version}:no: while you were editing.`
      : $localize`${this.after().draftSaved?.by ?? $localize`Somebody`}:name: saved another draft while you were editing.`;
  });
  protected readonly lines = computed(() => {
    const own = new Map(compareRules(this.base(), this.draft()).map((l) => [l.name, l.right]));
    return compareRules(this.base(), this.newest())
      .filter((l) => l.left !== l.right)
      .map((l) => ({ name: l.name, was: l.left, now: l.right, mine: own.get(l.name) ?? null }));
  });
}

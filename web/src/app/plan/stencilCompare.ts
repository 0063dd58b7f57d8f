import { ChangeDetectionStrategy, Component, computed, effect, inject, input, model, signal, untracked } from '@angular/core';
import { stencils, type Problem, type StencilPage, type VersionsApart } from '@key-cellar/contract';
import { Api, toProblem } from '../kit/api';
import { Choice } from '../kit/choice';
import { ProblemNotice } from '../kit/notice';
import { Sheet } from '../kit/sheet';
import { PartChanges } from './partChanges';

/** Two versions of a stencil side by side. */
@Component({
  selector: 'kc-stencil-compare',
  imports: [Choice, PartChanges, ProblemNotice, Sheet],
  template: `
    <kc-sheet [(open)]="open" heading="Compare versions" i18n-heading [width]="680">
      <div class="form">
        <div class="row-fields">
          <kc-choice
            field="compare-from"
            label="From"
            i18n-label
            [options]="options()"
            [value]="from()"
            (valueChange)="from.set($event!); load()"
          />
          <kc-choice
            field="compare-to"
            label="To"
            i18n-label
            [options]="options()"
            [value]="to()"
            (valueChange)="to.set($event!); load()"
          />
        </div>
        <kc-problem [problem]="problem()" />
        @if (apart(); as found) {
          <ul>
            @for (d of found.differences; track $index) {
              <li>
                <p>
                  <code>{{ d.code }}</code> {{ d.title }} · <b>{{ d.what }}</b>
                </p>
                <kc-part-changes [changes]="d.parts" />
              </li>
            } @empty {
              <li class="quiet" i18n>They say the same.</li>
            }
          </ul>
        }
      </div>
    </kc-sheet>
  `,
  styles: `
    li {
      padding: 6px 0;
      border-top: 1px solid var(--line-soft);
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class StencilCompare {
  private readonly api = inject(Api);
  readonly open = model.required<boolean>();
  readonly stencil = input.required<StencilPage>();
  protected readonly from = signal(1);
  protected readonly to = signal(1);
  protected readonly apart = signal<VersionsApart | null>(null);
  protected readonly problem = signal<Problem | null>(null);
  protected readonly options = computed(() =>
    this.stencil().versions.map(({ version }) => ({ value: version, name: $localize`Version ${version}:version:` })),
  );

  constructor() {
    effect(() => {
      if (!this.open()) return;
      untracked(() => {
        const { version } = this.stencil();
        this.to.set(version);
        this.from.set(Math.max(1, version - 1));
        this.load();
      });
    });
  }

  protected load(): void {
    this.problem.set(null);
    const [from, to] = [this.from(), this.to()];
    this.api.call(stencils.compare, { params: { id: this.stencil().id }, query: { from, to } }).subscribe({
      next: (apart) => {
        if (from === this.from() && to === this.to()) this.apart.set(apart);
      },
      error: (error: unknown) => this.problem.set(toProblem(error)),
    });
  }
}

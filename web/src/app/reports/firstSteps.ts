import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { Router, RouterLink } from '@angular/router';
import type { FirstStep } from '@key-cellar/contract';

/** What leads from an empty repository to a running one: each step a page away, with what is done. */
@Component({
  selector: 'kc-first-steps',
  imports: [RouterLink],
  template: `
    <section class="panel" aria-labelledby="first-steps">
      <h2 id="first-steps" i18n>First steps · {{ done() }} of {{ steps().length }} done</h2>
      <ol>
        @for (step of steps(); track step.key) {
          <li [class.done]="step.done">
            <span class="tick" aria-hidden="true">{{ step.done ? '✓' : '' }}</span>
            <a [routerLink]="router.parseUrl(step.link)">{{ step.sentence }}</a>
            @if (step.done) {
              <span class="sr" i18n>done</span>
            }
            @if (step.quick; as quick) {
              <a class="small quiet" [routerLink]="router.parseUrl(quick.link)">{{ quick.sentence }}</a>
            }
          </li>
        }
      </ol>
    </section>
  `,
  styles: `
    section {
      padding: 12px 16px;
      margin-bottom: 12px;
    }
    h2 {
      font-size: 14px;
      margin: 0 0 6px;
    }
    ol {
      list-style: none;
      margin: 0;
      padding: 0;
    }
    li {
      display: flex;
      gap: 10px;
      align-items: center;
      padding: 3px 0;
    }
    .tick {
      width: 18px;
      height: 18px;
      border: 1px solid var(--line);
      text-align: center;
      line-height: 17px;
      font-size: 12px;
    }
    .done .tick {
      background: var(--head);
    }
    .done a {
      color: var(--ink-2);
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class FirstSteps {
  protected readonly router = inject(Router);
  readonly steps = input.required<readonly FirstStep[]>();
  protected readonly done = computed(() => this.steps().filter((step) => step.done).length);
}

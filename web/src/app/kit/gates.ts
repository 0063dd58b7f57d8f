import { ChangeDetectionStrategy, Component, input } from '@angular/core';
import type { Gate } from '@key-cellar/contract';

const names: Record<Gate['name'], string> = {
  proposed: $localize`proposed`,
  notice: $localize`notice`,
  approved: $localize`approved`,
  done: $localize`done`,
};
const states: Record<Gate['state'], string> = {
  passed: $localize`passed`,
  current: $localize`here now`,
  ahead: $localize`ahead`,
  blocked: $localize`blocked`,
};

/** The gates that a batch passes, as arches on a line; each with its date. */
@Component({
  selector: 'kc-gates',
  template: `
    <ol>
      @for (gate of gates(); track gate.name) {
        <li [class]="gate.state">
          <svg viewBox="0 0 16 18" width="15" height="17" aria-hidden="true"><path d="M1.5 17V7.5a6.5 6.5 0 0 1 13 0V17z" /></svg>
          <span class="sr">{{ names[gate.name] }}, {{ states[gate.state] }}: </span>
          @if (named()) {
            <b>{{ names[gate.name] }}</b>
          }
          <span>{{ gate.words }}</span>
        </li>
      }
    </ol>
  `,
  styles: `
    :host {
      display: block;
      min-width: min(430px, 100%);
    }
    ol {
      display: grid;
      grid-template-columns: repeat(4, 1fr);
    }
    li {
      position: relative;
      display: grid;
      justify-items: start;
      font-size: 12.5px;
      line-height: 17px;
      color: var(--ink-2);
      padding-inline-end: 6px;
    }
    li::after {
      content: '';
      position: absolute;
      inset-inline-start: 15px;
      inset-inline-end: 0;
      top: 9px;
      border-top: 2px dashed var(--line);
    }
    li:last-child::after {
      display: none;
    }
    li.passed::after {
      border-top: 3px solid var(--gate);
    }
    svg {
      position: relative;
      z-index: 1;
      fill: var(--surface);
      stroke: var(--line);
      stroke-width: 1.6;
      margin-bottom: 2px;
    }
    .passed svg {
      fill: var(--gate);
      stroke: var(--gate);
    }
    .current svg {
      fill: var(--brass-light);
      stroke: var(--brass);
    }
    .blocked svg {
      fill: var(--plum);
      stroke: var(--plum);
    }
    .current {
      color: var(--ink);
    }
    .blocked {
      color: var(--plum);
    }
    li > span {
      margin: 0;
      white-space: nowrap;
    }
    b {
      color: var(--ink);
      font-weight: 600;
    }
    :host {
      --gate: light-dark(#143d33, #5f8a77);
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class Gates {
  readonly gates = input.required<readonly Gate[]>();
  /** Writes the names too; tables have them in their head. */
  readonly named = input(false);
  protected readonly names = names;
  protected readonly states = states;
}

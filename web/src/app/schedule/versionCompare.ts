import { ChangeDetectionStrategy, Component, computed, inject, input, linkedSignal } from '@angular/core';
import type { RuleDefinition, RulePage } from '@key-cellar/contract';
import { Choice } from '../kit/choice';
import { RuleStrip } from '../kit/ruleStrip';
import { DayPipe } from '../kit/words';
import { compareRules } from './ruleLines';

interface Side {
  readonly value: string;
  readonly name: string;
  readonly definition: RuleDefinition;
}

/** Two versions of a rule side by side, or one and the draft: what differs is marked. */
@Component({
  selector: 'kc-version-compare',
  imports: [Choice, RuleStrip],
  providers: [DayPipe],
  template: `
    <table class="frame">
      <thead>
        <tr>
          <th><span class="sr" i18n>of the rule</span></th>
          <th>
            <kc-choice
              field="compare-left"
              label="Left"
              i18n-label
              [labelled]="false"
              [options]="sides()"
              [value]="left()"
              (valueChange)="left.set($event)"
            />
          </th>
          <th>
            <kc-choice
              field="compare-right"
              label="Right"
              i18n-label
              [labelled]="false"
              [options]="sides()"
              [value]="right()"
              (valueChange)="right.set($event)"
            />
          </th>
        </tr>
      </thead>
      <tbody>
        <tr>
          <th scope="row" i18n>To scale</th>
          @for (side of chosen(); track $index) {
            <td><kc-rule-strip [rule]="side.definition" /></td>
          }
        </tr>
        @for (line of lines(); track $index) {
          <tr [class.differs]="line.left !== line.right">
            <th scope="row">
              {{ line.name }}
              @if (line.left !== line.right) {
                <span class="sr" i18n>differs</span>
              }
            </th>
            @for (words of [line.left, line.right]; track $index) {
              <td>
                @if (words === null) {
                  <span class="quiet" i18n>no such step</span>
                } @else {
                  {{ words }}
                }
              </td>
            }
          </tr>
        }
      </tbody>
    </table>
    <p class="quiet" role="status">{{ summary() }}</p>
  `,
  styles: `
    th[scope='row'] {
      text-align: start;
      font-weight: 400;
      color: var(--ink-2);
      white-space: nowrap;
    }
    td {
      width: 42%;
      vertical-align: top;
    }
    .differs th,
    .differs td {
      font-weight: 600;
      color: var(--ink);
    }
    .differs th {
      box-shadow: inset 3px 0 var(--brass);
    }
    p {
      margin: 10px 0 0;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class VersionCompare {
  /** Newest first. */
  readonly versions = input.required<RulePage['versions']>();
  readonly draft = input<RuleDefinition | null>(null);

  private readonly day = inject(DayPipe);
  protected readonly sides = computed<Side[]>(() => {
    const draft = this.draft();
    return [
      ...(draft ? [{ value: 'draft', name: $localize`Draft`, definition: draft }] : []),
      ...this.versions().map((v) => ({
        value: v.id,
        name: $localize`Version ${v.version}:no:, from ${this.day.transform(v.inForceFrom)}:day:`,
        definition: v.definition,
      })),
    ];
  });
  protected readonly right = linkedSignal(() => this.sides()[0]!.value);
  protected readonly left = linkedSignal(() => (this.sides()[1] ?? this.sides()[0]!).value);
  protected readonly chosen = computed(() => [this.left(), this.right()].map((value) => this.sides().find((s) => s.value === value)!));
  protected readonly lines = computed(() => {
    const [left, right] = this.chosen();
    return compareRules(left!.definition, right!.definition);
  });
  protected readonly summary = computed(() => {
    const n = this.lines().filter((l) => l.left !== l.right).length;
    if (n === 0) return $localize`They are identical.`;
    return n === 1 ? $localize`They differ in one line.` : $localize`They differ in ${n}:n: lines.`;
  });
}

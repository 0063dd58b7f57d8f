import { ChangeDetectionStrategy, Component, inject, input, output, signal } from '@angular/core';
import { access } from '@key-cellar/contract';
import { CarriedTags, MarkingSheet, MarkingWords, ReachedBy, TagsSheet } from '../access/index';
import { Api } from '../kit/api';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { GrantSheet } from './grantSheet';
import { GrantsTable, type GrantTask } from './grantsTable';

/** Who was given what on a record and around it, how it is marked, and who can reach it; for those who give access there or look after it. */
@Component({
  selector: 'kc-record-grants',
  imports: [CarriedTags, GrantSheet, GrantsTable, MarkingSheet, MarkingWords, ProblemNotice, ReachedBy, TagsSheet],
  template: `
    <kc-problem [problem]="page.problem()" />
    @if (page.value(); as p) {
      @if (p.mayGrant) {
        <div class="head">
          <button type="button" (click)="task.set({ kind: 'give' })" i18n>give access</button>
          <button type="button" (click)="marking.set(true)" i18n>marking</button>
          <button type="button" (click)="tagging.set(true)" i18n>access tags</button>
        </div>
      }
      <kc-marking-words [marking]="p.marking" />
      <kc-carried-tags [tags]="p.tags" />
      @if (p.grants.length > 0) {
        <kc-grants-table [grants]="p.grants" [here]="record()" [mayGrant]="p.mayGrant" (task)="task.set($event)" />
      }
      <kc-marking-sheet
        [(open)]="marking"
        [recordIds]="[record()]"
        [name]="name()"
        [now]="p.marking"
        [around]="p.around"
        (done)="again()"
      />
      <kc-tags-sheet [(open)]="tagging" [recordIds]="[record()]" [name]="name()" [now]="p.tags" (done)="again()" />
      <kc-grant-sheet [(task)]="task" [on]="{ kind: 'record', id: record(), name: name() }" (done)="again()" />
      <kc-reached-by [record]="record()" [since]="times()" />
    }
  `,
  styles: `
    :host {
      display: block;
      margin-top: 10px;
    }
    .head {
      display: flex;
      gap: 12px;
      margin-bottom: 6px;
    }
    .head button {
      font: inherit;
      font-size: 12.5px;
      padding: 0;
      border: 0;
      background: none;
      color: var(--ink-2);
      text-decoration: underline;
      cursor: pointer;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class RecordGrants {
  private readonly api = inject(Api);
  readonly record = input.required<string>();
  readonly name = input.required<string>();
  readonly changed = output();
  protected readonly page = loaded(() => this.api.call(access.grantsOnRecord, { params: { id: this.record() } }));
  protected readonly task = signal<GrantTask | null>(null);
  protected readonly marking = signal(false);
  protected readonly tagging = signal(false);
  /** How often access was changed here, so that who can reach it is asked again. */
  protected readonly times = signal(0);

  protected again(): void {
    this.page.reload();
    this.times.update((n) => n + 1);
    this.changed.emit();
  }
}

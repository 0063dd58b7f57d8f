import { ChangeDetectionStrategy, Component, inject, input } from '@angular/core';
import { access } from '@key-cellar/contract';
import { Api } from '../kit/api';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { ReachTable } from './reachTable';

/** The people of one record, for those who give access there or audit. */
@Component({
  selector: 'kc-reached-by',
  imports: [ProblemNotice, ReachTable],
  template: `
    <kc-problem [problem]="page.problem()" />
    @if (page.value(); as p) {
      <h3 i18n>
        {p.people.length, plural, =0 {Nobody can reach it} =1 {One person can reach it} other {{{ p.people.length }} people can reach it}}
      </h3>
      <kc-reach-table [people]="p.people" [record]="record()" />
    }
  `,
  styles: `
    :host {
      display: block;
      margin-top: 14px;
    }
    h3 {
      font-size: 14px;
      margin: 0 0 6px;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class ReachedBy {
  private readonly api = inject(Api);
  readonly record = input.required<string>();
  /** Changes when it is to be asked again. */
  readonly since = input(0);
  protected readonly page = loaded(() => {
    this.since();
    return this.api.call(access.reach, { query: { recordId: this.record() } });
  });
}

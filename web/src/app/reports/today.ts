import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import { Router, RouterLink } from '@angular/router';
import { type HorizonBar, records, reports, type TodayLine } from '@key-cellar/contract';
import { greatest } from 'd3';
import { Button } from 'primeng/button';
import { EMPTY } from 'rxjs';
import { Session } from '../identity/index';
import { Api } from '../kit/api';
import { Horizon } from '../kit/horizon';
import { loaded } from '../kit/loaded';
import { Mark } from '../kit/mark';
import { ProblemNotice } from '../kit/notice';
import { linkOfEntry } from '../kit/trail';
import { CountPipe, InstantPipe, monthWords } from '../kit/words';
import { FirstSteps } from './firstSteps';
import { Seen } from './seen';

const names: Record<TodayLine['when'], string> = {
  late: $localize`Late`,
  today: $localize`Today`,
  week: $localize`This week`,
  later: $localize`When there is time`,
};

const total = ({ destroy, transfer, held }: HorizonBar): number => destroy + transfer + held;

/** What needs me now: sentences with their act, by deadline, and the horizon of two years. */
@Component({
  selector: 'kc-today',
  imports: [Button, CountPipe, FirstSteps, Horizon, InstantPipe, Mark, ProblemNotice, RouterLink, Seen],
  templateUrl: './today.html',
  styleUrl: './today.css',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class Today {
  private readonly api = inject(Api);
  private readonly router = inject(Router);
  protected readonly session = inject(Session);
  protected readonly page = loaded(() => this.api.call(reports.today));
  /** What was filed last, for those who have no part in disposing of it. */
  private readonly newest = loaded(() =>
    this.page.value()?.horizon === null ? this.api.call(records.list, { query: { sort: 'filed', descending: true, limit: 12 } }) : EMPTY,
  );
  protected readonly fresh = computed(() =>
    (this.newest.value()?.records ?? []).map(({ id, number, title, state, filedOn }) => ({ id, number, title, state, at: filedOn })),
  );
  protected readonly firstName = computed(() => this.session.me()?.name.split(' ')[0] ?? '');
  /** Whether there is room for what comes due: not where nothing was ever arranged. */
  protected readonly coming = computed(() => {
    const p = this.page.value();
    return !p || (p.horizon !== null && (p.firstSteps === null || p.horizon.some((bar) => total(bar) > 0)));
  });
  /** The month of the coming year, after this one, in which most comes due. */
  protected readonly largest = computed(() => {
    const ahead = (this.page.value()?.horizon ?? []).slice(1, 13).filter((bar) => total(bar) > 0);
    if (ahead.length === 0) return null;
    const bar = greatest(ahead, total)!;
    return { name: monthWords(bar.month), n: total(bar) };
  });
  protected readonly late = computed(() => this.page.value()?.lines.filter((l) => l.when === 'late').length ?? 0);
  protected readonly groups = computed(() => {
    const lines = this.page.value()?.lines ?? [];
    return (['late', 'today', 'week', 'later'] as const)
      .map((when) => ({ when, name: names[when], lines: lines.filter((l) => l.when === when) }))
      .filter((g) => g.lines.length > 0);
  });

  protected readonly linkOf = linkOfEntry;

  protected go(line: TodayLine): void {
    void this.router.navigateByUrl(line.link);
  }
}

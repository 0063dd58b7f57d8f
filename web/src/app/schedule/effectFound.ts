import { ChangeDetectionStrategy, Component, computed, inject, input, output, signal } from '@angular/core';
import { RouterLink } from '@angular/router';
import type { EffectPage } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { Session } from '../identity/index';
import { TwoHorizons } from '../kit/twoHorizons';
import { CountPipe, DayPipe } from '../kit/words';
import { byYear, cellsOf, forecastCsv, saveText, touched } from './effectModel';

const yearsShown = 30;

/** A line of the table. */
interface Row {
  readonly code: string;
  readonly title: string;
  readonly placeId: string | null;
  /** Get an earlier date, or none any more. */
  readonly sooner: number;
  /** Get a later date, or their first. */
  readonly later: number;
}

/** What a change does to due dates, however it was worked out. */
@Component({
  selector: 'kc-effect-found',
  imports: [Button, CountPipe, DayPipe, RouterLink, TwoHorizons],
  templateUrl: './effectFound.html',
  styleUrl: './effectFound.css',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class EffectFound {
  protected readonly noDate = $localize`no date`;
  private readonly session = inject(Session);
  readonly found = input.required<EffectPage>();
  /** Beside something else: the sentence, the years and the first few that move. */
  readonly brief = input(false);
  /** A record that somebody wants to see beside it. */
  readonly looked = output<string>();

  /** What happens to dates; only what happens to some. */
  protected readonly moves = computed(() => {
    const { earlier, later, first, none, otherwise } = this.found().shift;
    return [
      { n: earlier, words: $localize`get an earlier date` },
      { n: later, words: $localize`get a later date` },
      { n: first, words: $localize`get their first date` },
      { n: none, words: $localize`lose their date` },
      { n: otherwise, words: $localize`have no date for another reason` },
    ]
      .filter((m) => m.n > 0)
      .map((m, i, { length }) => ({
        ...m,
        before: i > 0 && i === length - 1 ? $localize`and ` : '',
        after: i === length - 1 ? '.' : i < length - 2 ? ',' : '',
      }));
  });
  protected readonly flags = computed(() => {
    const { atOnce, held, inBatches, conflicts } = this.found();
    return [
      { n: atOnce.records, words: $localize`would be due at once`, tone: 'madder' },
      { n: held, words: $localize`of them are held and stay`, tone: 'plum' },
      { n: conflicts.after, words: $localize`must be kept longer than another rule allows (now ${conflicts.before}:n:)`, tone: 'madder' },
      { n: inBatches, words: $localize`are in a batch and are checked again`, tone: '' },
    ].filter((f) => f.n > 0);
  });

  private readonly cells = computed(() => cellsOf(this.found()));
  protected readonly years = computed(() => byYear(touched(this.cells()), Number(this.session.today().slice(0, 4)), yearsShown));
  /** What the table counts by: where records are, or the year of the new date (of the old one, where there is no new). */
  protected readonly by = signal<'series' | 'year'>('series');
  protected readonly rows = computed<Row[]>(() => {
    const { bySeries, byYear: years } = this.found();
    const counted = (s: Pick<EffectPage['shift'], 'earlier' | 'later' | 'first' | 'none'>) => ({
      sooner: s.earlier + s.none,
      later: s.later + s.first,
    });
    if (this.by() === 'year') return years.map((y) => ({ code: String(y.year), title: '', placeId: null, ...counted(y) }));
    return bySeries
      .map((s) => ({ code: s.code, title: s.title, placeId: s.seriesId, ...counted(s) }))
      .sort((a, b) => b.sooner + b.later - a.sooner - a.later || (a.code < b.code ? -1 : 1));
  });
  private readonly widest = computed(() => Math.max(1, ...this.rows().map((r) => Math.max(r.sooner, r.later))));
  protected readonly most = computed(() => (this.brief() ? this.found().most.slice(0, 3) : this.found().most));
  protected readonly mostRows = 40;

  protected share(n: number): string {
    return `${((n / this.widest()) * 100).toFixed(1)}%`;
  }

  protected save(): void {
    saveText('forecast.csv', forecastCsv(this.cells()));
  }
}

import { ChangeDetectionStrategy, Component, computed, effect, inject, input, model, output, signal, untracked } from '@angular/core';
import { access, type AccessShift, type MarkingLine, type OutcomeLine } from '@key-cellar/contract';
import { EMPTY, type Observable } from 'rxjs';
import { Api } from '../kit/api';
import { Choices } from '../kit/choices';
import { loaded } from '../kit/loaded';
import { NumberField } from '../kit/numberField';
import { ResultList } from '../kit/resultList';
import { Sheet } from '../kit/sheet';
import { TryFirst } from '../kit/tryFirst';
import { Trying } from '../kit/trying';
import { markingWords } from './markingWords';

interface Effect {
  readonly access: AccessShift | null;
  /** Of records: what came of each. */
  readonly results?: readonly OutcomeLine[];
}

/** Marks a place or records: a level, and caveats. It is tried first, and says whose access changes. */
@Component({
  selector: 'kc-marking-sheet',
  imports: [Choices, NumberField, ResultList, Sheet, TryFirst],
  template: `
    <kc-sheet [(open)]="open" [heading]="heading()">
      @if (results(); as lines) {
        <kc-result-list [lines]="lines" />
      } @else {
        <form class="form" novalidate (submit)="$event.preventDefault(); send()">
          <p class="sheet-note">
            @if (place()) {
              <ng-container i18n
                >Whoever is not cleared for it sees neither the place nor what lies in it. What lies in it is marked at least
                so.</ng-container
              >
            } @else {
              <ng-container i18n>Whoever is not cleared for it does not see it at all.</ng-container>
            }
            @if (aroundWords(); as w) {
              <ng-container i18n>What it lies in is marked {{ w }}: no less here.</ng-container>
            }
          </p>
          <kc-number-field
            field="marking-level"
            label="Level"
            i18n-label
            [min]="0"
            [max]="cleared.value()?.level ?? 0"
            [hint]="hint()"
            [wrong]="trying.doing.wrong()['/level']"
            [value]="level()"
            (valueChange)="level.set($event); trying.forget()"
          />
          @if (caveatOptions().length > 0) {
            <kc-choices
              field="marking-caveats"
              label="Caveats"
              i18n-label
              [options]="caveatOptions()"
              [value]="caveats()"
              (valueChange)="caveats.set($event); trying.forget()"
            />
          }
          <kc-try-first [what]="trying" reasonField="marking-reason" [ready]="level() !== null" [label]="labels.mark" />
        </form>
      }
    </kc-sheet>
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class MarkingSheet {
  protected readonly labels = { mark: $localize`Mark so` };
  private readonly api = inject(Api);
  /** Either a place, in the revision that is shown, or records. */
  readonly place = input<{ readonly id: string; readonly revision: number } | null>(null);
  readonly recordIds = input<readonly string[]>([]);
  readonly name = input('');
  /** How it is marked now, where that is known. */
  readonly now = input<MarkingLine>({ level: 0, caveats: [] });
  readonly around = input<MarkingLine>({ level: 0, caveats: [] });
  readonly open = model(false);
  readonly done = output();
  protected readonly cleared = loaded(() => (this.open() ? this.api.call(access.markings) : EMPTY));
  protected readonly caveatOptions = computed(() => (this.cleared.value()?.caveats ?? []).map((value) => ({ value, name: value })));
  protected readonly hint = computed(() => {
    const most = this.cleared.value()?.level ?? 0;
    return $localize`0 for none, up to your own clearance of ${most}:most:`;
  });
  protected readonly heading = computed(() => {
    const n = this.chosen().length;
    if (this.name()) return $localize`Marking of ${this.name()}:name:`;
    return n === 1 ? $localize`Marking of one record` : $localize`Marking of ${n}:n: records`;
  });
  protected readonly aroundWords = computed(() => markingWords(this.around()));
  /** The records that the sheet was opened for; marks may be gone by the time its results are read. */
  private readonly chosen = signal<readonly string[]>([]);
  protected readonly level = signal<number | null>(0);
  protected readonly caveats = signal<readonly string[]>([]);
  protected readonly results = signal<readonly OutcomeLine[] | null>(null);
  protected readonly trying = new Trying<Effect>();

  constructor() {
    effect(() => {
      if (!this.open()) return;
      untracked(() => {
        this.chosen.set(this.recordIds());
        this.level.set(this.now().level);
        this.caveats.set(this.now().caveats);
        this.trying.begin();
        this.results.set(null);
      });
    });
  }

  private call(how: { readonly dryRun: boolean; readonly reason: string }): Observable<Effect> {
    const body = { level: this.level()!, caveats: this.caveats(), ...how };
    const place = this.place();
    if (place) return this.api.call(access.markPlace, { params: { id: place.id }, body: { ...body, revision: place.revision } });
    return this.api.call(access.markRecords, { body: { ...body, recordIds: [...this.chosen()] } });
  }

  protected send(): void {
    this.trying.send(
      (how) => this.call(how),
      (said) => {
        if (said.results && this.chosen().length > 1) this.results.set(said.results);
        else this.open.set(false);
        this.done.emit();
      },
    );
  }
}

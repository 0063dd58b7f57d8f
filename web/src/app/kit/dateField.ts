import { ChangeDetectionStrategy, Component, computed, inject, input, linkedSignal, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { civilDate, formatCivilDate, parseCivilDate, readDate } from '@key-cellar/core/calendar';
import { DatePicker } from 'primeng/datepicker';
import { InputText } from 'primeng/inputtext';
import { Popover } from 'primeng/popover';
import { Tooltip } from 'primeng/tooltip';
import { REPOSITORY_DAY } from './repositoryDay';
import { dayWords } from './words';

/** A day in the browser’s own zone, as its calendar counts; null for none. */
function localDay(value: string | null | undefined): Date | null {
  if (!value || parseCivilDate(value) === null) return null;
  const [year, month, day] = value.split('-').map(Number);
  return new Date(year!, month! - 1, day);
}

/**
 * A field for a date, typed as people write it ("1 apr 27", "today", "+7d", "end of year") and shown as everywhere else. In and out
 * goes YYYY-MM-DD; nothing goes out while what is typed is no date. One outside of what it may be is said to be wrong, and goes out: the
 * server says why.
 */
@Component({
  selector: 'kc-date-field',
  imports: [DatePicker, FormsModule, InputText, Popover, Tooltip],
  template: `
    @if (label(); as words) {
      <label [for]="field()" [class.sr]="!labelled()">{{ words }}</label>
    }
    <span class="row">
      <input
        pInputText
        [id]="field()"
        autocomplete="off"
        maxlength="30"
        [placeholder]="placeholder()"
        [attr.aria-required]="needed() || null"
        [attr.aria-invalid]="wrong() ? true : null"
        [attr.aria-describedby]="wrong() || hint() ? field() + '-said' : null"
        [ngModel]="text()"
        [ngModelOptions]="{ standalone: true }"
        (ngModelChange)="type($event)"
        (blur)="settle()"
        (keydown.enter)="settle()"
      />
      <button
        type="button"
        pTooltip="Calendar"
        i18n-pTooltip
        tooltipPosition="top"
        aria-label="Calendar"
        i18n-aria-label
        (click)="calendar.toggle($event)"
      >
        <svg viewBox="0 0 16 16" width="14" height="14" aria-hidden="true">
          <path d="M2.5 3.5h11v10h-11zM2.5 6.5h11M5.5 2v3M10.5 2v3" fill="none" stroke="currentColor" stroke-width="1.3" />
        </svg>
      </button>
    </span>
    <p-popover #calendar appendTo="body" styleClass="kc-calendar" (onShow)="shown.set(true)" (onHide)="shown.set(false)">
      @if (shown()) {
        <p-datepicker
          [inline]="true"
          [minDate]="first()"
          [maxDate]="last()"
          [defaultDate]="begin()"
          [ngModel]="chosen()"
          [ngModelOptions]="{ standalone: true }"
          (onSelect)="pick($event); calendar.hide()"
        />
      }
    </p-popover>
    @if (wrong(); as sentence) {
      <span class="wrong" [id]="field() + '-said'">{{ sentence }}</span>
    } @else if (hint()) {
      <span class="hint" [id]="field() + '-said'">{{ hint() }}</span>
    }
  `,
  styles: `
    .row {
      display: flex;
      align-items: center;
    }
    input {
      flex: 1;
      min-width: 0;
      border-inline-end: 0;
      border-start-end-radius: 0;
      border-end-end-radius: 0;
    }
    button {
      display: grid;
      place-items: center;
      align-self: stretch;
      width: 30px;
      border: 1px solid var(--line);
      border-radius: 0 2px 2px 0;
      background: var(--surface);
      color: var(--ink-2);
      cursor: pointer;
    }
    button:hover {
      color: var(--ink);
    }
  `,
  host: { class: 'field' },
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class DateField {
  protected readonly today = inject(REPOSITORY_DAY);
  /** Id of the field, for its label. */
  readonly field = input.required<string>();
  readonly label = input('');
  /** Is the label to be seen? */
  readonly labelled = input(true);
  readonly needed = input(false);
  readonly placeholder = input('');
  readonly hint = input('');
  /** First and last day that it may be, YYYY-MM-DD. */
  readonly min = input<string | null | undefined>(null);
  readonly max = input<string | null | undefined>(null);
  /** What somebody else found wrong with it. */
  readonly refused = input<string>();
  /** YYYY-MM-DD; empty for none. */
  readonly value = input<string | null | undefined>('');
  readonly valueChange = output<string>();

  // The same object for the same day, or the calendar would be told of a change for ever.
  protected readonly chosen = computed(() => localDay(this.value()));
  protected readonly first = computed(() => localDay(this.min()));
  protected readonly last = computed(() => localDay(this.max()));
  protected readonly begin = computed(() => localDay(this.value() || this.today()));
  protected readonly shown = signal(false);
  private readonly left = signal(false);
  /** As it is being typed: a value that comes of the typing does not change it under the hands. */
  protected readonly text = linkedSignal<string, string>({
    source: () => this.value() ?? '',
    computation: (value, before) => (before && this.read(before.value) === value ? before.value : this.words(value)),
  });
  protected readonly wrong = computed(() => {
    const text = this.text().trim();
    if (text === '' || !this.left()) return this.refused();
    const read = this.read(text);
    if (read === '') return $localize`must be a date such as 1 Apr 2027, today or +7d`;
    const [min, max] = [this.min(), this.max()];
    if (min && read < min) return $localize`must not be before ${this.words(min)}:day:`;
    if (max && read > max) return $localize`must not be after ${this.words(max)}:day:`;
    return this.refused();
  });

  private words(value: string): string {
    return parseCivilDate(value) === null ? value : dayWords(value);
  }

  /** What goes out for a text: empty while it is no date. */
  private read(text: string): string {
    const day = readDate(text, civilDate(this.today() || '2000-01-01'));
    return day === null ? '' : formatCivilDate(day);
  }

  protected type(text: string): void {
    this.text.set(text);
    this.left.set(false);
    this.valueChange.emit(this.read(text));
  }

  /** What was typed is shown as everywhere else, or said to be wrong. */
  protected settle(): void {
    this.left.set(true);
    const day = this.read(this.text());
    if (day !== '') this.text.set(this.words(day));
  }

  protected pick(date: Date): void {
    const pad = (n: number): string => String(n).padStart(2, '0');
    const day = `${String(date.getFullYear()).padStart(4, '0')}-${pad(date.getMonth() + 1)}-${pad(date.getDate())}`;
    this.text.set(this.words(day));
    this.left.set(true);
    this.valueChange.emit(day);
  }
}

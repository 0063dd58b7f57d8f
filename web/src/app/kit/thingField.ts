import { ChangeDetectionStrategy, Component, computed, inject, input, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { setup, type FactOption } from '@key-cellar/contract';
import type { PointingKind } from '@key-cellar/core/records';
import { AutoComplete, type AutoCompleteCompleteEvent } from 'primeng/autocomplete';
import { catchError, of } from 'rxjs';
import { Api } from './api';

/** A field in which one or several things are chosen that a fact can point at; found by typing. */
@Component({
  selector: 'kc-thing-field',
  imports: [AutoComplete, FormsModule],
  template: `
    <p-autocomplete
      [inputId]="field()"
      appendTo="body"
      [multiple]="many()"
      [forceSelection]="true"
      [dropdown]="!many() && kind() !== 'reference'"
      [completeOnFocus]="kind() !== 'reference'"
      [minQueryLength]="0"
      [delay]="150"
      optionLabel="name"
      dataKey="id"
      [suggestions]="$any(suggestions())"
      (completeMethod)="complete($event)"
      [placeholder]="placeholder()"
      [ngModel]="chosen()"
      [ngModelOptions]="{ standalone: true }"
      (ngModelChange)="choose($event)"
    >
      <ng-template #item let-option>
        <span
          >{{ option.name }} <span class="quiet small">{{ option.more }}</span></span
        >
      </ng-template>
    </p-autocomplete>
  `,
  host: { class: 'thing' },
  styles: `
    p-autocomplete {
      width: 100%;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class ThingField {
  private readonly api = inject(Api);
  readonly field = input.required<string>();
  readonly kind = input.required<PointingKind>();
  readonly many = input(false);
  /** Ids of what is chosen. */
  readonly value = input<readonly string[]>([]);
  /** What is known to be called how. */
  readonly names = input<Readonly<Record<string, string>>>({});
  readonly valueChange = output<readonly string[]>();

  protected readonly suggestions = signal<readonly FactOption[]>([]);
  private readonly seen = signal<Readonly<Record<string, string>>>({});
  protected readonly placeholder = computed(() => (this.kind() === 'reference' ? $localize`number of the record` : ''));
  protected readonly chosen = computed(() => {
    const options = this.value().map((id) => ({
      id,
      name: this.seen()[id] ?? this.names()[id] ?? $localize`(hidden from you)`,
      more: '',
    }));
    return this.many() ? options : (options[0] ?? null);
  });

  protected complete({ query }: AutoCompleteCompleteEvent): void {
    this.api
      .call(setup.options, { query: { kind: this.kind(), text: query } })
      .pipe(catchError(() => of({ options: [] as FactOption[] })))
      .subscribe(({ options }) => this.suggestions.set(options));
  }

  protected choose(given: FactOption | readonly FactOption[] | string | null): void {
    // What is typed and not chosen yet is text; it says nothing.
    if (typeof given === 'string') return;
    const options = given === null ? [] : Array.isArray(given) ? (given as readonly FactOption[]) : [given as FactOption];
    this.seen.update((seen) => ({ ...seen, ...Object.fromEntries(options.map((o) => [o.id, o.name])) }));
    this.valueChange.emit([...new Set(options.map((o) => o.id))]);
  }
}

import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import type { MenuItem } from 'primeng/api';
import { Button } from 'primeng/button';
import { Menu } from 'primeng/menu';

const names: Readonly<Record<string, string>> = {
  csv: $localize`Table (CSV)`,
  xlsx: $localize`Spreadsheet (XLSX)`,
  json: $localize`JSON`,
  skos: $localize`Concept scheme (SKOS, JSON-LD)`,
  pdf: $localize`To print (PDF)`,
};

/** Saves something in one of several formats. */
@Component({
  selector: 'kc-export-menu',
  imports: [Button, Menu],
  template: `
    <p-button
      severity="secondary"
      [size]="name() === '' ? undefined : 'small'"
      [outlined]="name() === ''"
      [text]="name() !== ''"
      label="Export …"
      i18n-label
      [ariaLabel]="label()"
      ariaHasPopup="menu"
      (onClick)="menu.toggle($event)"
    />
    <p-menu #menu [model]="items()" [popup]="true" appendTo="body" ariaLabel="Export as" i18n-ariaLabel />
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class ExportMenu {
  /** Address that takes `?format=`. */
  readonly address = input.required<string>();
  /** What of several is saved; empty: what the page is about. */
  readonly name = input('');
  protected readonly label = computed(() => (this.name() === '' ? undefined : $localize`Export a table: ${this.name()}:kind:`));
  readonly formats = input<readonly string[]>(['csv', 'xlsx', 'json']);
  protected readonly items = computed<MenuItem[]>(() =>
    this.formats().map((format) => ({
      label: names[format] ?? format,
      url: `${this.address()}${this.address().includes('?') ? '&' : '?'}format=${format}`,
      target: '_blank',
    })),
  );
}

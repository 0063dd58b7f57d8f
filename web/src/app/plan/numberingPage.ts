import { ChangeDetectionStrategy, Component, computed, DestroyRef, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { RouterLink } from '@angular/router';
import { records, type NumberingLine, type Problem } from '@key-cellar/contract';
import { exampleNumbers, numberingRefusal, type CountScope } from '@key-cellar/core/records';
import { Button } from 'primeng/button';
import { Checkbox } from 'primeng/checkbox';
import { InputText } from 'primeng/inputtext';
import { Tooltip } from 'primeng/tooltip';
import type { Observable } from 'rxjs';
import { say } from '../../words/say';
import { Session } from '../identity/index';
import { Api, toProblem } from '../kit/api';
import { Choices } from '../kit/choices';
import { Keys } from '../kit/keys';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { Sheet } from '../kit/sheet';
import { TextField } from '../kit/textField';
import { SetupNav } from '../records/index';

/** How records get their numbers. */
@Component({
  selector: 'kc-numbering',
  imports: [TextField, Button, Checkbox, FormsModule, InputText, Choices, ProblemNotice, RouterLink, SetupNav, Sheet, Tooltip],
  templateUrl: './numberingPage.html',
  styleUrl: './numberingPage.css',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class NumberingPage {
  protected readonly labels = {
    changing: (title: string) => $localize`Change ${title}:what:`,
    new: $localize`New numbering`,
    change: $localize`Change it`,
    make: $localize`Create`,
  };
  private readonly api = inject(Api);
  protected readonly session = inject(Session);
  protected readonly page = loaded(() => this.api.call(records.numberings));
  protected readonly open = signal(false);
  protected readonly changing = signal<NumberingLine | null>(null);
  protected readonly title = signal('');
  protected readonly pattern = signal('');
  protected readonly per = signal<CountScope[]>([]);
  protected readonly gapless = signal(true);
  /** Why the scheme cannot be used, or what it would give. */
  protected readonly refusal = computed(() => {
    const refusal = numberingRefusal({ pattern: this.pattern().trim(), per: this.per() });
    return refusal && say(refusal);
  });
  protected readonly examples = computed(() => exampleNumbers(this.pattern().trim(), this.session.today()));
  protected readonly busy = signal(false);
  protected readonly problem = signal<Problem | null>(null);
  protected readonly scopes: readonly { readonly value: CountScope; readonly name: string }[] = [
    { value: 'series', name: $localize`each series` },
    { value: 'place', name: $localize`each place` },
    { value: 'type', name: $localize`each record type` },
    { value: 'year', name: $localize`each year` },
    { value: 'month', name: $localize`each month` },
  ];
  protected readonly parts = ['{series}', '{place}', '{type}', '{year}', '{month}', '{day}', '{fact …}', '{nnnn}'];

  constructor() {
    const remove = inject(Keys).add({ n: [$localize`create a numbering`, () => this.session.may('arrange') && this.begin(null)] });
    inject(DestroyRef).onDestroy(remove);
  }

  protected begin(line: NumberingLine | null): void {
    this.changing.set(line);
    this.title.set(line?.title ?? '');
    this.pattern.set(line?.pattern ?? '{series}/{year}/{nnnn}');
    this.per.set([...(line?.per ?? (['series', 'year'] as const))]);
    this.gapless.set(line?.gapless ?? true);
    this.problem.set(null);
    this.open.set(true);
  }

  protected countedFor(line: NumberingLine): string {
    const names = this.scopes.filter((s) => line.per.includes(s.value)).map((s) => s.name);
    return names.length > 0 ? names.join(', ') : $localize`never`;
  }

  protected save(): void {
    const line = this.changing();
    const body = { title: this.title().trim(), pattern: this.pattern().trim(), per: this.per(), gapless: this.gapless() };
    this.act(
      line
        ? this.api.call(records.changeNumbering, { params: { id: line.id }, body: { ...body, revision: line.revision } })
        : this.api.call(records.makeNumbering, { body }),
    );
  }

  protected drop({ id, revision }: NumberingLine): void {
    this.act(this.api.call(records.dropNumbering, { params: { id }, body: { revision } }));
  }

  private act(call: Observable<unknown>): void {
    this.busy.set(true);
    this.problem.set(null);
    call.subscribe({
      next: () => {
        this.busy.set(false);
        this.open.set(false);
        this.page.reload();
      },
      error: (error: unknown) => {
        this.busy.set(false);
        this.problem.set(toProblem(error));
      },
    });
  }
}

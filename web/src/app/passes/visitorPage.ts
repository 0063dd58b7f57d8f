import { ChangeDetectionStrategy, Component, computed, effect, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { passes, type Problem, type ResponseOf, type ShownRecord } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { Door } from '../identity/index';
import { Api, toProblem } from '../kit/api';
import { ProblemNotice } from '../kit/notice';
import { CountPipe, DayPipe } from '../kit/words';

const mostPages = 200;

/** What somebody without an account sees of a pass: the door, and behind it records whose pages are shown as pictures. */
@Component({
  selector: 'kc-visitor',
  imports: [Button, CountPipe, DayPipe, Door, FormsModule, ProblemNotice],
  templateUrl: './visitorPage.html',
  styleUrl: './visitorPage.css',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class VisitorPage {
  private readonly api = inject(Api);
  private readonly token = location.hash.slice(1);
  protected readonly door = signal<ResponseOf<typeof passes.door> | null>(null);
  protected readonly inside = signal<ResponseOf<typeof passes.shown> | null>(null);
  protected readonly problem = signal<Problem | null>(null);
  protected readonly over = signal<Problem | null>(null);
  protected readonly busy = signal(false);
  protected readonly passphrase = signal('');
  protected readonly chosen = signal<ShownRecord | null>(null);
  protected readonly extent = signal<ResponseOf<typeof passes.pages> | null>(null);
  protected readonly numbers = computed(() => Array.from({ length: Math.min(this.extent()?.pages ?? 0, mostPages) }, (_, i) => i + 1));
  protected readonly notShown = signal(false);
  protected readonly labels = {
    page: (no: number, of: number, title: string) => $localize`Page ${no}:page: of ${of}:pages: of ${title}:title:`,
  };

  constructor() {
    if (this.token) {
      this.api.call(passes.door, { body: { token: this.token } }).subscribe({
        next: (door) => this.door.set(door),
        error: (error: unknown) => this.over.set(toProblem(error)),
      });
    } else this.enter();
    effect((onCleanup) => {
      const record = this.chosen();
      this.extent.set(null);
      this.notShown.set(false);
      if (!record) return;
      const asked = this.api.call(passes.pages, { params: { id: record.id } }).subscribe({
        next: (extent) => this.extent.set(extent),
        error: (error: unknown) => this.refused(toProblem(error)),
      });
      onCleanup(() => asked.unsubscribe());
    });
  }

  protected open(): void {
    this.busy.set(true);
    this.problem.set(null);
    this.api.call(passes.open, { body: { token: this.token, passphrase: this.passphrase() || null } }).subscribe({
      next: () => {
        this.busy.set(false);
        // What opens the pass does not stay where somebody could read it over a shoulder, or reload would open it again.
        history.replaceState(null, '', '/pass');
        this.enter();
      },
      error: (error: unknown) => {
        this.busy.set(false);
        this.problem.set(toProblem(error));
      },
    });
  }

  private enter(): void {
    this.api.call(passes.shown, { query: { from: 0 } }).subscribe({
      next: (inside) => {
        this.inside.set(inside);
        this.chosen.set(inside.records[0] ?? null);
      },
      error: (error: unknown) => this.over.set(toProblem(error)),
    });
  }

  protected more(): void {
    this.api.call(passes.shown, { query: { from: this.inside()!.records.length } }).subscribe({
      next: ({ records, total }) =>
        this.inside.update((inside) => inside && { ...inside, records: [...inside.records, ...records], total }),
      error: (error: unknown) => this.refused(toProblem(error)),
    });
  }

  /** The pass may end while it is open; what has no pages is said as such. */
  private refused(problem: Problem): void {
    if (problem.status === 401) {
      this.inside.set(null);
      this.over.set(problem);
    } else this.notShown.set(true);
  }
}

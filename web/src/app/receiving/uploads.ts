import { ChangeDetectionStrategy, Component, computed, inject, input, output, signal } from '@angular/core';
import { Button } from 'primeng/button';
import { type Subscription } from 'rxjs';
import { toProblem } from '../kit/api';
import { BytesPipe } from '../kit/words';
import { droppedFiles, type DroppedFile } from './droppedFiles';
import { UploadService } from './uploadService';

type Status = 'waiting' | 'sending' | 'done' | 'failed' | 'cancelled';
interface Line {
  readonly key: string;
  readonly dropped: DroppedFile;
  readonly status: Status;
  readonly sent: number;
  readonly why: string;
}

/** Sent side by side; the others wait their turn. */
const atOnce = 3;

/** Where files are dropped or chosen; each shows its progress and can be cancelled or tried again. */
@Component({
  selector: 'kc-uploads',
  imports: [BytesPipe, Button],
  template: `
    <div
      class="drop"
      [class.over]="over()"
      (dragover)="$event.preventDefault(); over.set(true)"
      (dragleave)="over.set(false)"
      (drop)="drop($event)"
    >
      <span i18n><b>Drop files or folders here</b>, or</span>
      <p-button size="small" severity="secondary" [outlined]="true" label="Choose files" i18n-label (onClick)="files.click()" />
      <p-button size="small" severity="secondary" [outlined]="true" label="Choose a folder" i18n-label (onClick)="folder.click()" />
      <span class="quiet small" i18n>Any type, up to 2 GB each.</span>
      <input #files type="file" multiple hidden aria-label="Files" i18n-aria-label (change)="chosen(files)" />
      <input #folder type="file" webkitdirectory hidden aria-label="Folder" i18n-aria-label (change)="chosen(folder)" />
    </div>
    @if (lines().length > 0) {
      <div class="lines panel">
        <p class="sum" role="status">
          <ng-container i18n>{{ done() }} of {{ lines().length }} received</ng-container>
          @if (failed() > 0) {
            <span class="madder" i18n>, {{ failed() }} failed</span>
          }
          <span class="acts">
            @if (failed() > 0) {
              <button type="button" (click)="retryAll()" i18n>Retry the failed ones</button>
            }
            @if (!running()) {
              <button type="button" (click)="clear()" i18n>Clear the list</button>
            }
          </span>
        </p>
        <ul>
          @for (line of shown(); track line.key) {
            <li>
              <span class="clip" [title]="line.dropped.path">{{ line.dropped.path }}</span>
              <span class="num quiet small">{{ line.dropped.file.size | bytes }}</span>
              @switch (line.status) {
                @case ('sending') {
                  <progress
                    [value]="line.sent"
                    [max]="line.dropped.file.size || 1"
                    ariaLabel="Sending {{ line.dropped.path }}"
                    i18n-ariaLabel
                  ></progress>
                  <button type="button" (click)="cancel(line)" i18n>Cancel</button>
                }
                @case ('waiting') {
                  <span class="quiet small" i18n>waits its turn</span>
                  <button type="button" (click)="cancel(line)" i18n>Cancel</button>
                }
                @case ('done') {
                  <span class="small" i18n>received</span><span></span>
                }
                @case ('cancelled') {
                  <span class="quiet small" i18n>cancelled, nothing was kept</span>
                  <button type="button" (click)="retry(line)" i18n>Try again</button>
                }
                @case ('failed') {
                  <span class="madder small">{{ line.why }}</span>
                  <button type="button" (click)="retry(line)" i18n>Try again</button>
                }
              }
            </li>
          }
          @if (lines().length > shown().length) {
            <li class="quiet small" i18n>and {{ lines().length - shown().length }} more</li>
          }
        </ul>
      </div>
    }
  `,
  styleUrl: './uploads.css',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class Uploads {
  private readonly service = inject(UploadService);
  readonly placeId = input<string | null>(null);
  /** Something has arrived. */
  readonly arrived = output();
  /** Everything that was dropped has come to its end. */
  readonly settled = output();

  protected readonly over = signal(false);
  protected readonly lines = signal<readonly Line[]>([]);
  private readonly sending = new Map<string, Subscription>();

  protected readonly done = computed(() => this.lines().filter((l) => l.status === 'done').length);
  protected readonly failed = computed(() => this.lines().filter((l) => l.status === 'failed').length);
  protected readonly running = computed(() => this.lines().some((l) => l.status === 'sending' || l.status === 'waiting'));
  /** What still needs eyes comes first; a list of thousands is not drawn whole. */
  protected readonly shown = computed(() => {
    const order: Status[] = ['failed', 'sending', 'cancelled', 'waiting', 'done'];
    return [...this.lines()].sort((a, b) => order.indexOf(a.status) - order.indexOf(b.status)).slice(0, 60);
  });

  protected drop(event: DragEvent): void {
    event.preventDefault();
    this.over.set(false);
    if (event.dataTransfer) void droppedFiles(event.dataTransfer).then((files) => this.add(files));
  }

  protected chosen(field: HTMLInputElement): void {
    this.add([...(field.files ?? [])].map((file) => ({ file, path: file.webkitRelativePath || file.name })));
    field.value = '';
  }

  add(files: readonly DroppedFile[]): void {
    this.lines.update((lines) => [
      ...lines,
      ...files.map((dropped): Line => ({ key: crypto.randomUUID(), dropped, status: 'waiting', sent: 0, why: '' })),
    ]);
    this.next();
  }

  private change(key: string, changes: Partial<Line>): void {
    this.lines.update((lines) => lines.map((l) => (l.key === key ? { ...l, ...changes } : l)));
  }

  private next(): void {
    while (this.sending.size < atOnce) {
      const line = this.lines().find((l) => l.status === 'waiting');
      if (!line) break;
      this.send(line);
    }
    if (this.sending.size === 0 && !this.running()) this.settled.emit();
  }

  private send(line: Line): void {
    const { key, dropped } = line;
    this.change(key, { status: 'sending', sent: 0, why: '' });
    const ended = (changes: Partial<Line>): void => {
      this.sending.delete(key);
      this.change(key, changes);
      this.next();
    };
    const subscription = this.service.send(dropped.file, { placeId: this.placeId(), key, name: dropped.path }).subscribe({
      next: (state) => {
        if (state.kind === 'sending') this.change(key, { sent: state.sent });
        else {
          ended({ status: 'done' });
          this.arrived.emit();
        }
      },
      error: (error: unknown) => ended({ status: 'failed', why: toProblem(error).detail }),
    });
    this.sending.set(key, subscription);
  }

  protected cancel(line: Line): void {
    this.sending.get(line.key)?.unsubscribe();
    this.sending.delete(line.key);
    this.change(line.key, { status: 'cancelled' });
    this.next();
  }

  protected retry(line: Line): void {
    this.change(line.key, { status: 'waiting' });
    this.next();
  }

  protected retryAll(): void {
    for (const line of this.lines().filter((l) => l.status === 'failed')) this.change(line.key, { status: 'waiting' });
    this.next();
  }

  protected clear(): void {
    this.lines.set([]);
  }
}

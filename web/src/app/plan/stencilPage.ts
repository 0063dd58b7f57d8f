import { ChangeDetectionStrategy, Component, computed, effect, ElementRef, inject, input, signal, untracked } from '@angular/core';
import { Router, RouterLink } from '@angular/router';
import { stencils, type BroughtLine, type Problem, type StencilBody, type StencilPage as Stencil } from '@key-cellar/contract';
import { foldersOf, stencilProblems } from '@key-cellar/core/plan';
import { Button } from 'primeng/button';
import { InputText } from 'primeng/inputtext';
import { EMPTY, map, type Observable } from 'rxjs';
import { say } from '../../words/say';
import { Session } from '../identity/index';
import { Api, toProblem } from '../kit/api';
import { Choices } from '../kit/choices';
import { goToFirstWrong } from '../kit/firstWrong';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { Sheet } from '../kit/sheet';
import { TextField } from '../kit/textField';
import { Unsaved } from '../kit/unsaved';
import { CountPipe, InstantPipe } from '../kit/words';
import { LongTextField } from '../kit/longTextField';
import { BroughtList } from './broughtList';
import { StencilCompare } from './stencilCompare';
import { StencilFolderForm } from './stencilFolderForm';
import { newFolder, StencilParts, type StencilFolderBody } from './stencilsService';
import { StencilUses } from './stencilUses';

interface Draft {
  readonly subject: string;
  readonly title: string;
  readonly note: string;
  readonly definition: StencilBody;
}

const bareDraft = (): Draft => ({ subject: '', title: '', note: '', definition: { asks: [], roles: [], root: newFolder('F-{nn}', '') } });

/** One stencil: its folders and what each of them says, where it was used, and what a new version changes there. */
@Component({
  selector: 'kc-stencil',
  imports: [
    LongTextField,
    BroughtList,
    Button,
    Choices,
    CountPipe,
    InputText,
    InstantPipe,
    ProblemNotice,
    RouterLink,
    Sheet,
    StencilCompare,
    StencilFolderForm,
    StencilUses,
    TextField,
  ],
  providers: [StencilParts],
  templateUrl: './stencilPage.html',
  styleUrl: './stencilPage.css',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class StencilPage {
  protected readonly labels = {
    saveAs: (version: number) => $localize`Save as version ${version}:version:`,
    save: $localize`Save the stencil`,
    takeUpAgain: $localize`Reinstate`,
    retire: $localize`Retire`,
    copyOf: (title: string) => $localize`Copy of ${title}:title:`,
    unnamed: $localize`New stencil`,
    untitled: $localize`(no title)`,
  };
  private readonly api = inject(Api);
  private readonly router = inject(Router);
  private readonly host = inject<ElementRef<HTMLElement>>(ElementRef);
  protected readonly session = inject(Session);
  protected readonly parts = inject(StencilParts);
  /** Absent: a new one. */
  readonly id = input<string>();
  /** A folder that a new one is made of. */
  readonly from = input<string>();
  /** A stencil that a new one is a copy of. */
  readonly copy = input<string>();
  /** A place to use it in, when the shelf was opened from it. */
  readonly place = input<string>();

  protected readonly page = loaded<Stencil>(() => (this.id() ? this.api.call(stencils.stencil, { params: { id: this.id()! } }) : EMPTY));
  protected readonly draft = signal<Draft | null>(null);
  /** The draft as it was begun with, or as it was kept. */
  private readonly began = signal<Draft | null>(null);
  protected readonly chosenKey = signal('');
  protected readonly using = signal(false);
  protected readonly comparing = signal(false);
  protected readonly bringing = signal(false);
  protected readonly brought = signal<readonly BroughtLine[] | null>(null);
  protected readonly carriedOut = signal(false);
  protected readonly describing = signal(false);
  protected readonly busy = signal(false);
  protected readonly problem = signal<Problem | null>(null);
  protected readonly said = signal('');

  protected readonly mayKeep = computed(() => this.session.may('dispose'));
  protected readonly folders = computed(() => {
    const d = this.draft();
    return d ? foldersOf(d.definition.root).map(({ folder, depth }) => ({ folder: folder as StencilFolderBody, depth })) : [];
  });
  protected readonly chosen = computed(
    () => this.folders().find((f) => f.folder.key === this.chosenKey())?.folder ?? this.draft()?.definition.root ?? null,
  );
  protected readonly isRoot = computed(() => this.chosen()?.key === this.draft()?.definition.root.key);
  protected readonly wrong = computed(() => {
    const d = this.draft();
    return d ? stencilProblems(d.definition).map((p) => ({ ...p, sentence: say(p.sentence) })) : [];
  });
  /** A new stencil was to be saved: from then on it is said what it lacks. */
  protected readonly told = signal(false);
  /** What is said to be wrong: nothing yet of a new stencil that is still being begun. */
  protected readonly says = computed(() => (this.page.value() || this.told() ? this.wrong() : []));
  /** What is said of the name and the subject. */
  protected readonly lacks = computed<{ readonly title?: string; readonly subject?: string }>(() => {
    const d = this.draft();
    if (!d || !(this.page.value() || this.told())) return {};
    const sentence = $localize`must not be empty`;
    return { ...(d.title.trim() ? {} : { title: sentence }), ...(d.subject.trim() ? {} : { subject: sentence }) };
  });
  protected readonly wrongKeys = computed(() => new Set(this.says().map((p) => p.key)));
  protected readonly changed = computed(() => {
    const [p, d] = [this.page.value(), this.draft()];
    if (!d) return false;
    return !p || JSON.stringify([p.subject, p.title, p.note, p.definition]) !== JSON.stringify([d.subject, d.title, d.note, d.definition]);
  });
  protected readonly askOptions = computed(() => this.parts.facts().map((f) => ({ value: f.code, name: f.title })));

  constructor() {
    inject(Unsaved).watch(() => JSON.stringify(this.draft()) !== JSON.stringify(this.began()));
    effect(() => {
      const p = this.page.value();
      if (p) untracked(() => this.begin({ subject: p.subject, title: p.title, note: p.note, definition: p.definition }));
    });
    effect(() => {
      const [id, from, copy] = [this.id(), this.from(), this.copy()];
      if (id) return;
      untracked(() => {
        if (from)
          this.beginWith(
            this.api.call(stencils.fromFolder, { body: { placeId: from } }).pipe(map((made) => ({ subject: '', note: '', ...made }))),
          );
        else if (copy)
          this.beginWith(
            this.api
              .call(stencils.stencil, { params: { id: copy } })
              .pipe(map(({ subject, note, title, definition }) => ({ subject, note, definition, title: this.labels.copyOf(title) }))),
          );
        else this.begin(bareDraft());
      });
    });
  }

  private begin(draft: Draft): void {
    this.draft.set(draft);
    this.began.set(draft);
    if (!foldersOf(draft.definition.root).some((f) => f.folder.key === this.chosenKey())) this.chosenKey.set(draft.definition.root.key);
  }

  private beginWith(draft$: Observable<Draft>): void {
    draft$.subscribe({
      next: (draft) => this.begin(draft),
      error: (error: unknown) => {
        this.problem.set(toProblem(error));
        this.begin(bareDraft());
      },
    });
  }

  protected head(changes: Partial<Pick<Draft, 'subject' | 'title' | 'note'>>): void {
    this.draft.update((d) => ({ ...d!, ...changes }));
  }

  protected setAsks(asks: string[]): void {
    this.draft.update((d) => ({ ...d!, definition: { ...d!.definition, asks } }));
  }

  protected addRole(): void {
    this.setRoles([...this.draft()!.definition.roles, { code: crypto.randomUUID(), title: '' }]);
  }

  protected nameRole(code: string, title: string): void {
    this.setRoles(this.draft()!.definition.roles.map((role) => (role.code === code ? { code, title } : role)));
  }

  /** A role goes with the access that it gave. */
  protected dropRole(code: string): void {
    const without = (f: StencilFolderBody): StencilFolderBody => ({
      ...f,
      grants: f.grants.filter((g) => g.role !== code),
      inside: f.inside.map(without),
    });
    this.setRoles(this.draft()!.definition.roles.filter((role) => role.code !== code));
    this.setRoot(without);
  }

  private setRoles(roles: StencilBody['roles']): void {
    this.draft.update((d) => ({ ...d!, definition: { ...d!.definition, roles } }));
  }

  private setRoot(change: (root: StencilFolderBody) => StencilFolderBody): void {
    this.draft.update((d) => ({ ...d!, definition: { ...d!.definition, root: change(d!.definition.root) } }));
  }

  protected changeFolder(folder: StencilFolderBody): void {
    this.setRoot((root) => replace(root, folder.key, () => folder));
  }

  protected addInside(parent: StencilFolderBody): void {
    const added = newFolder(String(parent.inside.length + 1).padStart(2, '0'), '');
    this.setRoot((root) => replace(root, parent.key, (f) => ({ ...f, inside: [...f.inside, added] })));
    this.chosenKey.set(added.key);
  }

  protected removeFolder(key: string): void {
    this.setRoot((root) => without(root, key));
    this.chosenKey.set(this.draft()!.definition.root.key);
  }

  protected drop(): void {
    const p = this.page.value();
    if (p) this.begin({ subject: p.subject, title: p.title, note: p.note, definition: p.definition });
    else {
      this.began.set(this.draft());
      void this.router.navigateByUrl('/plan/stencils');
    }
  }

  protected save(retired = this.page.value()?.retiredOn !== null && !!this.page.value()): void {
    const [d, p] = [this.draft()!, this.page.value()];
    this.told.set(true);
    if (this.wrong().length > 0 || this.lacks().title || this.lacks().subject) {
      goToFirstWrong(this.host.nativeElement);
      return;
    }
    const roles = d.definition.roles.map((role) => ({ ...role, title: role.title.trim() }));
    const body = { subject: d.subject.trim(), title: d.title.trim(), note: d.note, definition: { ...d.definition, roles } };
    this.busy.set(true);
    this.problem.set(null);
    this.said.set('');
    const finish = {
      next: (done: { id?: string; version?: number }) => {
        this.busy.set(false);
        this.describing.set(false);
        this.began.set(d);
        if (done.id) void this.router.navigate(['/plan/stencils', done.id]);
        else {
          const behind = this.page.value()?.uses ?? 0;
          if (done.version !== p?.version && behind > 0)
            this.said.set($localize`Version ${done.version}:version: is kept. Existing folders can be updated to it.`);
          this.page.reload();
        }
      },
      error: (error: unknown) => {
        this.busy.set(false);
        this.problem.set(toProblem(error));
      },
    };
    if (p) this.api.call(stencils.change, { params: { id: p.id }, body: { ...body, revision: p.revision, retired } }).subscribe(finish);
    else this.api.call(stencils.make, { body }).subscribe(finish);
  }

  protected bring(dryRun: boolean): void {
    this.busy.set(true);
    this.problem.set(null);
    if (dryRun) {
      this.brought.set(null);
      this.carriedOut.set(false);
      this.bringing.set(true);
    }
    this.api.call(stencils.bring, { params: { id: this.id()! }, body: { dryRun } }).subscribe({
      next: ({ results }) => {
        this.busy.set(false);
        this.brought.set(results);
        this.carriedOut.set(!dryRun);
        if (!dryRun) this.page.reload();
      },
      error: (error: unknown) => {
        this.busy.set(false);
        this.problem.set(toProblem(error));
      },
    });
  }
}

function replace(folder: StencilFolderBody, key: string, change: (f: StencilFolderBody) => StencilFolderBody): StencilFolderBody {
  return folder.key === key ? change(folder) : { ...folder, inside: folder.inside.map((child) => replace(child, key, change)) };
}

function without(folder: StencilFolderBody, key: string): StencilFolderBody {
  return { ...folder, inside: folder.inside.filter((child) => child.key !== key).map((child) => without(child, key)) };
}

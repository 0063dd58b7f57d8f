import { computed, inject, Injectable } from '@angular/core';
import { toSignal } from '@angular/core/rxjs-interop';
import { identity, plan, records, schedule, type StencilBody } from '@key-cellar/contract';
import { bareFolder } from '@key-cellar/core/plan';
import { factsOfTypes } from '@key-cellar/core/records';
import { catchError, of } from 'rxjs';
import { Api } from '../kit/api';
import { filingPlaces } from '../kit/filingPlaces';
import { profileChoices } from '../kit/profiles';
import { byWords } from '../kit/words';
import { RecordsService } from '../records/index';

export type StencilFolderBody = StencilBody['root'];

/** A folder of a stencil as it begins. */
export function newFolder(code = '', title = ''): StencilFolderBody {
  return bareFolder(crypto.randomUUID(), code, title) as StencilFolderBody;
}

/** What stencils are made of: facts, types, rules, people. Provided where one is made, so that it is asked for once. */
@Injectable()
export class StencilParts {
  private readonly api = inject(Api);
  private readonly types = toSignal(inject(RecordsService).types$);
  private readonly people = toSignal(this.api.call(identity.people).pipe(catchError(() => of({ people: [] }))), {
    initialValue: { people: [] },
  });
  private readonly rules = toSignal(this.api.call(schedule.rules).pipe(catchError(() => of({ rules: [] }))), {
    initialValue: { rules: [] },
  });
  private readonly numberings = toSignal(this.api.call(records.numberings).pipe(catchError(() => of({ numberings: [] }))), {
    initialValue: { numberings: [] },
  });
  private readonly jurisdictions = toSignal(this.api.call(schedule.jurisdictions).pipe(catchError(() => of({ jurisdictions: [] }))), {
    initialValue: { jurisdictions: [] },
  });
  private readonly outline = toSignal(
    this.api.call(plan.outline, { query: { folders: true } }).pipe(catchError(() => of({ places: [] }))),
    {
      initialValue: { places: [] },
    },
  );

  readonly facts = computed(() => factsOfTypes(this.types()?.types ?? []).sort((a, b) => byWords(a.title, b.title)));
  readonly typeOptions = computed(() =>
    (this.types()?.types ?? []).filter((t) => !t.retired).map((t) => ({ value: t.code, name: t.title })),
  );
  readonly principalOptions = computed(() => this.people().people.map((p) => ({ value: p.id, name: p.name })));
  readonly numberingOptions = computed(() => this.numberings().numberings.map((n) => ({ value: n.id, name: `${n.title} (${n.pattern})` })));
  readonly jurisdictionOptions = computed(() => this.jurisdictions().jurisdictions.map(({ name }) => ({ value: name, name })));
  readonly profileOptions = profileChoices().options;
  readonly ruleOptions = computed(() =>
    this.rules()
      .rules.filter((r) => r.version !== null)
      .map((r) => ({ value: r.id, name: `${r.code} ${r.definition.title}` })),
  );
  /** Places that folders can be made in. */
  readonly places = computed(() => filingPlaces(this.outline().places, (p) => p.discover));
}

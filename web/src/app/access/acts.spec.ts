import { TestBed } from '@angular/core/testing';
import type { WhoCan } from '@key-cellar/contract';
import { Stage, testingProviders } from '../kit/testing';
import { ActsPage, needsInWords, saysOf } from './actsPage';

const act = (name: string, changes: Partial<WhoCan> = {}): WhoCan => ({
  name,
  summary: 'Releases a hold; what is due returns to the docket',
  needs: [{ right: 'hold', on: 'hold', many: false }],
  because: null,
  profiles: ['Keeper', 'Counsel'],
  ...changes,
});

describe('who can do what', () => {
  it('says what an act takes', () => {
    const rows: [Partial<WhoCan>, string][] = [
      [{}, 'hold on the hold'],
      [{ needs: [{ right: 'hold', on: 'record', many: true }] }, 'hold on each record'],
      [{ needs: [{ right: 'dispose', on: 'repository', many: false }] }, 'dispose on the whole repository'],
      [{ needs: [{ right: 'deposit', on: 'somewhere', many: false }] }, 'deposit somewhere'],
      [
        {
          needs: [
            { right: '', on: 'matter', many: false },
            { right: 'hold', on: 'record', many: true },
          ],
        },
        'hold on each record',
      ],
      [{ needs: [{ right: '', on: 'own notice', many: false }] }, 'that it is one’s own notice'],
      [{ needs: [], because: 'everybody may leave' }, 'nothing: everybody may leave'],
      [{ needs: [{ right: '', on: 'matter', many: false }] }, 'knowing of the matter'],
      [
        {
          needs: [
            { right: 'move on a folder, dispose on other places', on: 'place', many: false },
            { right: 'move on a folder, dispose on other places', on: 'place', many: false },
          ],
        },
        'move on a folder, dispose on other places',
      ],
      [
        { needs: [{ right: 'hold, for a hold by criteria', on: 'repository', many: false }] },
        'hold on the whole repository, for a hold by criteria',
      ],
    ];
    for (const [changes, words] of rows) expect(needsInWords(act('a', changes))).toBe(words);
  });

  it('is found by the beginnings of words of the act, the right and the profile', () => {
    for (const typed of ['', 'rel', 'counsel hold', 'HOLD KEEP'])
      expect(saysOf(act('a'), typed))
        .withContext(typed)
        .toBeTrue();
    for (const typed of ['docket', 'eleases', 'steward', 'rel steward'])
      expect(saysOf(act('a'), typed))
        .withContext(typed)
        .toBeFalse();
  });

  it('lists the acts, narrows them, and says so when there is none', async () => {
    TestBed.configureTestingModule({ providers: testingProviders });
    const stage = await Stage.show(ActsPage, {});
    await stage.answer('/api/acts', {
      acts: [act('holds.release'), act('records.declare', { summary: 'Declares records', profiles: ['Steward'] })],
    });
    expect(stage.text()).toContain('2 acts');
    expect(stage.text()).toContain('Keeper, Counsel');
    await stage.type('input[type=search]', 'declare');
    expect(stage.text()).toContain('Declares records');
    expect(stage.text()).not.toContain('Releases a hold');
    await stage.type('input[type=search]', 'nothing like it');
    expect(stage.text()).toContain('Nothing of that name');
  });
});

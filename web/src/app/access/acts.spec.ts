import { TestBed } from '@angular/core/testing';
import type { WhoCan } from '@key-cellar/contract';
import { Stage, testingProviders } from '../kit/testing';
import { ActsPage, saysOf } from './actsPage';

const act = (name: string, changes: Partial<WhoCan> = {}): WhoCan => ({
  name,
  does: 'Releases a hold',
  takes: 'hold on the hold',
  profiles: ['Keeper', 'Counsel'],
  all: false,
  ...changes,
});

describe('who can do what', () => {
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
      acts: [act('holds.release'), act('records.declare', { does: 'Declares records', profiles: ['Steward'] })],
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

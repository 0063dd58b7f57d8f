import { TestBed } from '@angular/core/testing';
import type { OutsideLine } from '@key-cellar/contract';
import { Stage, testingProviders } from '../kit/testing';
import { OutsidePage } from './outsidePage';

const line = (name: OutsideLine['name'], changes: Partial<OutsideLine>): OutsideLine => ({
  name,
  state: 'own',
  purpose: `what ${name} is for`,
  trouble: null,
  address: null,
  setting: null,
  last: null,
  ...changes,
});

describe('what lies outside', () => {
  it('says of each service whether it is one’s own, simulated or missing, and what is wrong with it', async () => {
    TestBed.configureTestingModule({ providers: testingProviders });
    const stage = await Stage.show(OutsidePage);
    await stage.answer('/api/outside', {
      lines: [
        line('timeAuthority', { address: 'https://time.example', setting: 'TIME_AUTHORITY_URL', trouble: 'It does not answer.' }),
        line('archive', { state: 'standIn', address: 'http://127.0.0.1:1', setting: 'ARCHIVE_URL' }),
        line('backup', { state: 'none' }),
      ],
    });
    const rows = [...stage.host.querySelectorAll('tbody tr')].map((row) => row.textContent!.replace(/\s+/g, ' '));
    expect(stage.text()).toContain('2 of the services that the repository leans on are missing or only simulated');
    expect(rows[0]).toContain('https://time.example');
    expect(rows[0]).toContain('It does not answer.');
    expect(rows[1]).toContain('simulated');
    expect(rows[1]).not.toContain('127.0.0.1');
    expect(rows[2]).toContain('none');
    expect(rows[2]).toContain('npm run backup');
  });
});

import { TestBed } from '@angular/core/testing';
import type { ProgramLine, ProviderLine } from '@key-cellar/contract';
import { Stage, testingProviders } from '../kit/testing';
import { ProgramsList } from './programsList';
import { ProviderSheet } from './providerSheet';
import { ProvidersPage } from './providersPage';

const provider: ProviderLine = {
  ...{ id: 'p', name: 'Directory', issuer: 'https://directory.example', clientId: 'us', hasSecret: true, groupsClaim: 'groups' },
  groups: [{ value: 'pilots', group: { id: 'g', name: 'Pilotage' } }],
  ...{ newcomers: false, byEmail: true, bringsFactor: false, active: true },
  ...{ people: 3, redirectUri: 'https://cellar.example/sign-in/from/p', revision: 4 },
};
const token = (name: string, more: Partial<ProgramLine['tokens'][number]> = {}): ProgramLine['tokens'][number] => ({
  ...{ id: name, name, scopes: ['records.read'], until: '2026-12-31', madeBy: { id: 'i', name: 'Ines' }, madeOn: '2026-09-01' },
  ...{ lastUsed: null, endedOn: null },
  ...more,
});

describe('sign-in and programs', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));

  it('keeps the secret of a provider unless another is typed', async () => {
    const stage = await Stage.show(ProviderSheet, { open: true, provider });
    await stage.answer('/api/setup/people', { people: [], groups: [] });
    await stage.type('#provider-name', 'The directory');
    await stage.press('Save', stage.sheet);
    const { request } = await stage.answer('/api/setup/providers/p', { revision: 5 });
    expect(request.body).toEqual(jasmine.objectContaining({ name: 'The directory', clientSecret: null, revision: 4 }));
    expect(request.body.groups).toEqual([{ value: 'pilots', groupId: 'g' }]);
  });

  it('says what a provider is before it is kept, and where it is to send people back after', async () => {
    const stage = await Stage.show(ProviderSheet, { open: true, provider: null });
    await stage.answer('/api/setup/people', { people: [], groups: [] });
    await stage.type('#provider-issuer', 'https://directory.example');
    await stage.press('Ask it what it is', stage.sheet);
    await stage.answer('/api/setup/providers/try', { reached: false, facts: [], problems: ['Nothing there that can be believed.'] });
    expect(stage.sheet.textContent).toContain('Nothing there that can be believed.');
    await stage.type('#provider-name', 'Directory');
    await stage.type('#provider-client', 'us');
    await stage.press('Add a provider', stage.sheet);
    const { request } = await stage.answer('/api/setup/providers', { id: 'n', redirectUri: 'https://cellar.example/sign-in/from/n' });
    expect(request.body.clientSecret).toBe('');
    expect(stage.sheet.textContent).toContain('https://cellar.example/sign-in/from/n');
  });

  it('shows those who look after programs the programs, and nothing of who signs in as whom', async () => {
    const desk = await Stage.show(ProvidersPage, {}, { rights: ['connect'] });
    await desk.answer('/api/setup/programs', { programs: [] });
    desk.http.expectNone('/api/setup/providers');
    expect(() => desk.button('Add a provider')).toThrow();
    expect(desk.button('Add a program').disabled).toBeFalse();
    expect(desk.text()).not.toContain('Sign-in providers');
  });

  it('lists tokens that work, and shows a new one once', async () => {
    const stage = await Stage.show(ProgramsList);
    const program = (tokens: ProgramLine['tokens']): ProgramLine => ({
      ...{ id: 'a', name: 'Scanner', active: true, clearance: { level: 0, caveats: [] }, tokens, revision: 1 },
    });
    const ended = [token('ended', { endedOn: '2026-09-02' }), token('over', { until: '2026-09-13' })];
    await stage.answer('/api/setup/programs', { programs: [program(ended)] });
    expect(stage.text()).toContain('No token that works: it can do nothing.');
    await stage.press('Make a token …');
    await stage.type('#token-name', 'scans');
    expect(stage.button('Make it', stage.sheet).disabled).toBeTrue();
    stage.sheet.querySelector<HTMLInputElement>('input[aria-label="records.read"]')!.click();
    await stage.settle();
    await stage.press('Make it', stage.sheet);
    const { request } = await stage.answer('/api/setup/programs/a/tokens', { id: 't', token: 'cellar_once' });
    expect(request.body).toEqual({ name: 'scans', scopes: ['records.read'], until: '2026-12-13' });
    expect(stage.sheet.querySelector<HTMLInputElement>('input[readonly]')!.value).toBe('cellar_once');
    await stage.answer('/api/setup/programs', { programs: [program([...ended, token('scans', { until: '2026-09-20' })])] });
    expect(stage.host.querySelector('td.madder')!.textContent).toContain('20 Sep 2026');
  });
});

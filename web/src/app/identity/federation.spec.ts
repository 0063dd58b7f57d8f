import { TestBed } from '@angular/core/testing';
import { Router } from '@angular/router';
import { Stage, testingProviders } from '../kit/testing';
import { FromProvider } from './fromProvider';
import { LinksSheet } from './linksSheet';
import { SecondFactorSteps } from './secondFactorSteps';
import { pageToGoTo, rememberedWay, rememberWay } from './wayIn';

describe('signing in by a provider', () => {
  beforeEach(() => {
    TestBed.configureTestingModule({ providers: testingProviders });
    sessionStorage.clear();
  });

  it('goes on only to a page of this application', () => {
    for (const wanted of ['//evil.example', 'https://evil.example', 'javascript:alert(1)', '', null, undefined])
      expect(pageToGoTo(wanted)).withContext(String(wanted)).toBe('/today');
    expect(pageToGoTo('/records/1?x=2')).toBe('/records/1?x=2');
    rememberWay('/holds');
    // Once: what was wanted yesterday is not wanted for ever.
    expect([rememberedWay(), rememberedWay()]).toEqual(['/holds', '/today']);
  });

  it('asks for the code of whoever has one, and goes on where they wanted to', async () => {
    rememberWay('/holds');
    const went = spyOn(TestBed.inject(Router), 'navigateByUrl').and.resolveTo(true);
    const stage = await Stage.show(FromProvider, { id: 'p' });
    await stage.answer('/api/entrance', { repository: 'M', needsFirstKeeper: false, demoAccounts: [], mail: false });
    expect(stage.text()).toContain('Signing in …');
    await stage.answer('/api/sign-in/from/p', { came: 'code' });
    expect(went).not.toHaveBeenCalled();
    await stage.type('#code', ' 123456 ');
    stage.host.querySelector('form')!.dispatchEvent(new Event('submit'));
    const { request } = await stage.answer('/api/sign-in/code', {});
    expect(request.body).toEqual({ code: '123456' });
    expect(went).toHaveBeenCalledOnceWith('/holds', { replaceUrl: true });
  });

  it('says why it did not come to anything', async () => {
    const stage = await Stage.show(FromProvider, { id: 'p' });
    await stage.answer('/api/entrance', { repository: 'M', needsFirstKeeper: false, demoAccounts: [], mail: false });
    await stage.answer('/api/sign-in/from/p', { type: 'x', title: 'x', status: 401, detail: 'Begin again.' }, 401);
    expect(stage.text()).toContain('Not signed in');
    expect(stage.text()).toContain('Begin again.');
  });

  it('keeps the only way in of whoever has no password', async () => {
    const stage = await Stage.show(LinksSheet, { open: true });
    const link = { provider: { id: 'a', name: 'Directory' }, since: '2026-09-14T08:00:00Z', last: null };
    const providers = [
      { id: 'a', name: 'Directory' },
      { id: 'b', name: 'Other' },
    ];
    for (const request of stage.http.match('/api/me/providers').filter((r) => !r.cancelled))
      request.flush({ providers, links: [link], hasPassword: false });
    await stage.settle();
    expect(stage.button('Unlink Directory').disabled).toBeTrue();
    expect(stage.button('Link Other').disabled).toBeFalse();
    expect(stage.sheet.textContent).toContain('your only way in');
  });

  it('sets up a second factor without a password for whoever has none', async () => {
    const stage = await Stage.show(SecondFactorSteps);
    await stage.answer('/api/me/second-factor', { on: false, asked: false, codesLeft: 0 });
    await stage.answer('/api/me/providers', { providers: [], links: [], hasPassword: false });
    await stage.press('Set it up');
    expect(stage.host.querySelector('#factor-password')).toBeNull();
    await stage.press('Continue');
    const { request } = await stage.answer('/api/me/second-factor/begin', {
      secret: 'ABCDEFGHIJKLMNOP',
      uri: 'otpauth://totp/M:ada?secret=A',
    });
    expect(request.body).toEqual({ password: '' });
  });
});

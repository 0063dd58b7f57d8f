import { TestBed } from '@angular/core/testing';
import { Stage, testingProviders } from '../kit/testing';
import { SecondFactorSteps } from './secondFactorSteps';
import { SignIn } from './signIn';

describe('a second factor', () => {
  beforeEach(() => TestBed.configureTestingModule({ providers: testingProviders }));

  it('is set up with the password, a picture to scan and a first code, and shows its recovery codes once', async () => {
    const stage = await Stage.show(SecondFactorSteps);
    let entered = 0;
    stage.fixture.componentInstance.changed.subscribe(() => entered++);
    await stage.answer('/api/me/second-factor', { on: false, asked: true, codesLeft: 0 });
    expect(stage.text()).toContain('A group that you are in asks for it.');
    await stage.press('Set it up');
    await stage.type('#factor-password', 'my password here');
    await stage.press('Continue');
    await stage.answer('/api/me/second-factor/begin', { secret: 'ABCDEFGHIJKLMNOP', uri: 'otpauth://totp/M:ada?secret=ABCDEFGHIJKLMNOP' });
    expect(stage.text()).toContain('ABCD EFGH IJKL MNOP');
    expect(stage.host.querySelector('.qr path')!.getAttribute('d')!.length).toBeGreaterThan(500);
    await stage.type('#factor-code', '000000');
    await stage.press('Use it from now on');
    const fields = [{ pointer: '/code', sentence: 'is not the code of this moment' }];
    await stage.answer('/api/me/second-factor/confirm', { type: 'x', title: 'x', status: 422, detail: 'no', fields }, 422);
    expect(stage.text()).toContain('is not the code of this moment');
    await stage.type('#factor-code', '123456');
    await stage.press('Use it from now on');
    await stage.answer('/api/me/second-factor/confirm', { codes: ['AAAA-BBBB', 'CCCC-DDDD'] });
    expect(stage.text()).toContain('AAAA-BBBB');
    expect(entered).toBe(0);
    await stage.press('I have them');
    await stage.answer('/api/me/second-factor', { on: true, asked: true, codesLeft: 2 });
    expect(stage.text()).not.toContain('AAAA-BBBB');
    expect([entered, stage.text().includes('2 recovery codes are left')]).toEqual([1, true]);
    // A group asks for it: it cannot be ended here.
    expect(stage.text()).not.toContain('End it');
  });

  it('is asked for once the password was right', async () => {
    const stage = await Stage.show(SignIn);
    await stage.answer('/api/entrance', { repository: 'M', needsFirstKeeper: false, demoAccounts: [], mail: false });
    await stage.type('#login', 'ada');
    await stage.type('#password', 'my password here');
    expect(stage.host.querySelector('#code')).toBeNull();
    stage.host.querySelector('form')!.dispatchEvent(new Event('submit'));
    const type = 'urn:key-cellar:problem:code-needed';
    await stage.answer('/api/session', { type, title: 'x', status: 401, detail: 'Type the code.' }, 401);
    await stage.type('#code', '123 456');
    stage.host.querySelector('form')!.dispatchEvent(new Event('submit'));
    const asked = await stage.request('/api/session');
    expect(asked.request.body).toEqual({ login: 'ada', password: 'my password here', code: '123 456' });
  });
});

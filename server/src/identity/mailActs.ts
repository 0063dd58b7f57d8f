import { setTimeout } from 'node:timers/promises';
import { identity, mailKinds, people, type MailLine } from '@key-cellar/contract';
import { message } from '@key-cellar/words';
import { chooseMail, lockMail, mailSetting, mailTo, receivers, recentMails, sendAgain, type MailRow } from '../mail/index.js';
import { actsFor, noRight, notSignedIn, ofRepository, one, Problem, withUnitOfWork, type ReadsOf, type Services } from '../kernel/index.js';
import { newToken, tokenHash } from './passwords.js';
import { connecting, requireConnecting } from './person.js';
import { writeInvitation } from './peopleStore.js';
import { readSettings } from './settingStore.js';
import { countTry } from './signIn.js';
import * as store from './store.js';

const { act, freeAct } = actsFor<Services>();
const mostListed = 300;
/** How long a link to choose another password works. */
const resetHours = 2;
/** So long an answer takes at least that is the same for everybody. */
const leastMs = 300;

const mailKind = ofRepository<MailRow>({
  word: 'mail',
  what: message('thing.mail'),
  subject: (mail) => ({ kind: 'person', id: mail.to_id, name: mail.to_name }),
  find: (db, id) => lockMail(db, id),
});

export const mailActs = {
  mailAgain: act(people.mailAgain, {
    name: 'sent a mail again',
    on: { ...connecting, mail: one(mailKind, ({ params }) => params.id, noRight) },
    repeat: 'refused',
    async write(uow, { on: { mail } }) {
      if ((mail.state !== 'refused' && mail.state !== 'uncertain') || !mail.whole)
        throw new Problem(409, 'not-again', message('identity.mailNotAgain'));
      await sendAgain(uow, mail.id);
      return { answer: {}, entry: { after: { address: mail.address, subject: mail.subject } } };
    },
  }),

  mailTest: act(people.mailTest, {
    name: 'sent a mail to try it',
    on: connecting,
    repeat: 'another',
    async write(uow, { person }) {
      const { repository } = await readSettings(uow);
      const mailed = await mailTo(uow, person.id, {
        kind: 'test',
        subject: message('mail.test', { repository }),
        body: message('mail.testBody'),
        link: null,
      });
      if (!mailed) throw new Problem(409, 'no-mail', message('identity.noMailTo'));
      return { answer: {}, entry: { subject: { kind: 'person', id: person.id, name: person.name } } };
    },
  }),

  chooseMail: freeAct(identity.chooseMail, {
    name: 'chose what comes by mail',
    because: 'everybody may choose their own',
    gate: 'none',
    repeat: 'same',
    async free({ services: { pool }, person, body: { kind, how } }) {
      if (!person) throw notSignedIn();
      await withUnitOfWork(
        pool,
        person,
        async (uow) => {
          const [before] = await receivers(uow, [person.id]);
          if ((before?.choices[kind] ?? 'now') === how) return;
          await chooseMail(uow, person.id, kind, how);
          const subject = { kind: 'person', id: person.id, name: person.name };
          uow.enter({
            act: 'chose what comes by mail',
            subject,
            before: { [kind]: before?.choices[kind] ?? 'now' },
            after: { [kind]: how },
          });
        },
        'none',
      );
      return {};
    },
  }),

  /** Whoever asks learns nothing: the answer is the same whether there is such a person, they have an address, or mail leaves at all. */
  forgot: freeAct(identity.forgot, {
    name: 'asked for another password',
    because: 'it finds out who somebody is',
    gate: 'none',
    repeat: 'another',
    async free({ services: { pool }, body, address }) {
      // Nor by how long it takes.
      const least = setTimeout(leastMs);
      const { today, repository } = await readSettings(pool);
      await countTry(pool, `forgot ${body.login}`, { address, today });
      const found = await store.principalByLogin(pool, body.login);
      if (!found?.active) return least.then(() => ({}));
      await withUnitOfWork(
        pool,
        { id: null, name: 'somebody', from: address, today },
        async (uow) => {
          const token = newToken();
          const mailed = await mailTo(uow, found.id, {
            kind: 'new password',
            subject: message('mail.forgot', { repository }),
            body: message('mail.forgotBody', { from: address, hours: resetHours }),
            link: `/welcome#${token}`,
          });
          if (!mailed) return;
          await writeInvitation(uow, { tokenHash: tokenHash(token), principalId: found.id, madeBy: null, hours: resetHours });
          uow.enter({ act: 'asked for another password', subject: { kind: 'person', id: found.id, name: found.name } });
        },
        'none',
      );
      return least.then(() => ({}));
    },
  }),
};

export const mailReads: Pick<ReadsOf<typeof people, Services>, 'mail'> & Pick<ReadsOf<typeof identity, Services>, 'mailChoices'> = {
  mail: async ({ services, access }) => {
    await requireConnecting(services, access);
    const { pool, config } = services;
    const { on } = await mailSetting(pool);
    const given = typeof config.mail === 'object' ? config.mail : null;
    return {
      on,
      from: given?.from ?? null,
      server: given ? new URL(given.url).host : null,
      mails: (await recentMails(pool, mostListed)).map((m): MailLine => ({
        ...{ id: m.id, to: { id: m.to_id, name: m.to_name }, address: m.address, kind: m.kind, subject: m.subject },
        ...{ state: m.state, tries: m.tries, at: (m.ended_at ?? m.queued_at).toISOString(), problem: m.problem },
        again: (m.state === 'refused' || m.state === 'uncertain') && m.whole,
      })),
    };
  },
  mailChoices: async ({ services: { pool }, person }) => {
    const [{ on }, [found]] = [await mailSetting(pool), await receivers(pool, [person.id])];
    return { on, address: found?.email ?? null, kinds: mailKinds.map((kind) => ({ kind, how: found?.choices[kind] ?? 'now' })) };
  },
};

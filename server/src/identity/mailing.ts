import { mailDigests } from '../mail/index.js';
import { programActor, withUnitOfWork, type Services } from '../kernel/index.js';
import { lockSetting, readSettings, writeSetting } from './settingStore.js';

/** Enters that a mail will not arrive: the person does not know of it by themselves. */
export const enterUndelivered =
  ({ pool }: Pick<Services, 'pool'>, act: 'a mail was refused' | 'a mail came back') =>
  async (
    mail: { readonly to_id: string; readonly to_name: string; readonly address: string; readonly subject: string },
    problem: string,
  ): Promise<void> => {
    const { today } = await readSettings(pool);
    const subject = { kind: 'person', id: mail.to_id, name: mail.to_name };
    const after = { address: mail.address, subject: mail.subject, problem };
    await withUnitOfWork(pool, programActor('mail', today), (uow) => uow.enter({ act, subject, after }), 'none');
  };

/** Once on each day of the repository, whoever looks first: what people want with the other messages of the day. */
export async function sendDigests({ pool }: Pick<Services, 'pool'>, today: string): Promise<void> {
  await withUnitOfWork(
    pool,
    programActor('mail', today),
    async (uow) => {
      const last = await lockSetting<{ on: string }>(uow, 'digested');
      if (last && last.on >= today) return;
      await writeSetting(uow, 'digested', { on: today });
      await mailDigests(uow);
    },
    'none',
  );
}

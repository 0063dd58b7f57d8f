import { createHash } from 'node:crypto';
import { existsSync, readFileSync, statSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

/** The application's role in the database: owns nothing, see migrations/0008. */
export const applicationRole = 'cellar_app';

/** An object store (S3) with versions and object lock. */
export interface ObjectsConfig {
  readonly url: string;
  readonly region: string;
  readonly bucket: string;
  readonly accessKeyId: string;
  readonly secretAccessKey: string;
  /** For how many days an object is locked at a time. */
  readonly lockDays: number;
}

/** Where mail leaves to (SMTP), and in whose name. */
export interface MailConfig {
  /** `smtp://host:port`, with STARTTLS unless it is loopback, or `smtps://host:port`. */
  readonly url: string;
  readonly user: string | null;
  readonly password: string | null;
  /** The certificate authority of a mail server of one’s own (PEM); null: those that everybody knows. */
  readonly authority: string | null;
  readonly from: string;
  /** Where what comes back of mails is taken in; null: nowhere. */
  readonly returns: MailReturns | null;
}

/** Where mails come back to: addresses of a domain whose mail is handed on to this server. */
export interface MailReturns {
  readonly domain: string;
  readonly host: string;
  /** 0: any that is free. */
  readonly port: number;
}

export type StandInName = 'timeAuthority' | 'witness' | 'archive' | 'mail' | 'objects' | 'identityProvider';

export interface Config {
  /** URL of a role that may create tables and roles; used for migrations only. */
  readonly ownerUrl: string;
  /** URL of the application's role. */
  readonly appUrl: string;
  readonly port: number;
  readonly host: string;
  /** Names under which the server is asked for besides loopback's; another `Host` is refused (RFC 9110 §7.4). */
  readonly hosts: readonly string[];
  /** Addresses of reverse proxies: what these say in `X-Forwarded-For` is believed. */
  readonly proxies: readonly string[];
  /** A session that nobody uses for so long ends. */
  readonly idleMinutes: number;
  /** Folder of the built web application, or null to serve none. */
  readonly webDir: string | null;
  readonly migrationsDir: string;
  readonly assetsDir: string;
  readonly logLevel: string;
  /** The archive that takes transfers; null lets a stand-in run on loopback. */
  readonly archiveUrl: string | null;
  /** Its public key (Ed25519, PEM): a receipt that it did not sign is none. */
  readonly archiveKey: string | null;
  /** The time-stamping authority (RFC 3161) for tree heads; null lets a stand-in run on loopback. */
  readonly timeAuthorityUrl: string | null;
  /** Its certificates as PEM, or of who issued them; a stamp by another is no stamp. */
  readonly timeAuthorityCertificates: string | null;
  /** The witness that cosigns tree heads (C2SP tlog-witness); null lets a stand-in run on loopback. */
  readonly witnessUrl: string | null;
  /** Its key as notes name it (C2SP signed-note); a cosignature with another is none. */
  readonly witnessKey: string | null;
  /** Under what name the witness knows this ledger. Not kept in the database, so that nobody changes it there. */
  readonly ledgerName: string;
  /** Folder of the private keys, readable by the server alone. */
  readonly keysDir: string;
  /** For how many days backups of that folder are kept: so long a destroyed content may still be brought back. */
  readonly keyBackupDays: number;
  /** Outside services that are simulated here; known once they are started. */
  readonly standIns: readonly StandInName[];
  /** Where contents have a second copy, or lie; null for nowhere but in the database, `stand-in` for a simulation on loopback. */
  readonly objects: ObjectsConfig | 'stand-in' | null;
  /** Where new contents lie. */
  readonly contentsIn: 'database' | 'objects';
  /** What /metrics asks for; null for no such page. */
  readonly metricsToken: string | null;
  /** Where mail leaves to; null: none does. `stand-in` for a simulation on loopback. */
  readonly mail: MailConfig | 'stand-in' | null;
  /** Whether a provider of identities is simulated on loopback; real ones are arranged in the application. */
  readonly identityProvider: 'stand-in' | null;
  /** Under which address people reach the application, for links in mails; without a slash at its end. */
  readonly publicUrl: string;
  /** Languages in which words are recognised in scans, by the names that tesseract has for them. */
  readonly scanLanguages: string;
  /** Where the stand-ins keep what is theirs. */
  readonly standInsDir: string;
}

function repositoryRoot(): string {
  let folder = dirname(fileURLToPath(import.meta.url));
  while (!existsSync(join(folder, 'server', 'migrations'))) {
    const parent = dirname(folder);
    if (parent === folder) throw new Error('The folder of the program cannot be found.');
    folder = parent;
  }
  return folder;
}

/** The same URL for the application's role: its password follows from the owner's, so every app server knows it. */
export function appUrlFor(ownerUrl: string): string {
  const url = new URL(ownerUrl);
  url.password = appPassword(ownerUrl);
  url.username = applicationRole;
  return url.href;
}

export function appPassword(ownerUrl: string): string {
  return createHash('sha256')
    .update(`${applicationRole}:${new URL(ownerUrl).password}`)
    .digest('hex');
}

/** The configuration cannot be used; the message says what of it. */
export class ConfigWrong extends Error {
  override readonly name = 'ConfigWrong';
}

/** A number above nothing. Throws {@link ConfigWrong} for what is none. */
function positive(env: NodeJS.ProcessEnv, name: string, usual: number): number {
  const given = env[name];
  const number = given === undefined || given === '' ? usual : Number(given);
  if (!(number > 0) || !Number.isFinite(number)) throw new ConfigWrong(`${name} is “${given}”, and is to be a number above 0.`);
  return number;
}

/** Languages as tesseract names them, `eng+deu`. Throws {@link ConfigWrong} for anything else. */
function languagesIn(env: NodeJS.ProcessEnv): string {
  const said = env['SCAN_LANGUAGES'] || 'eng';
  if (!/^[A-Za-z_]{3,20}(\+[A-Za-z_]{3,20}){0,9}$/.test(said))
    throw new ConfigWrong(`SCAN_LANGUAGES is “${said}”, and is to be names of languages such as eng+deu.`);
  return said;
}

/** What stands in a file that is named. Throws {@link ConfigWrong} when it cannot be read. */
function fileNamed(env: NodeJS.ProcessEnv, name: string): string | null {
  const path = env[name];
  if (!path) return null;
  try {
    return readFileSync(path, 'utf8');
  } catch (error) {
    throw new ConfigWrong(`${name} names ${path}, which cannot be read (${(error as NodeJS.ErrnoException).code}).`);
  }
}

/** A service outside is trusted by what it signs with: an address without that is refused. */
function outside(env: NodeJS.ProcessEnv, url: string, trusted: string): string | null {
  const address = env[url] ?? null;
  if (address !== null && !env[trusted]) throw new ConfigWrong(`${url} is set, and ${trusted} does not say whose signatures count.`);
  return address;
}

/** An object store is reached with a key and its secret, in a file that says `key:secret`. Throws when something of it is missing. */
function objectsIn(env: NodeJS.ProcessEnv): Config['objects'] {
  const url = env['OBJECTS_URL'];
  if (url === undefined || url === 'stand-in') return url ?? null;
  const { OBJECTS_BUCKET: bucket, OBJECTS_CREDENTIALS: credentials } = env;
  const said = fileNamed(env, 'OBJECTS_CREDENTIALS');
  if (!bucket || !credentials || said === null)
    throw new ConfigWrong('OBJECTS_URL is set, and OBJECTS_BUCKET or OBJECTS_CREDENTIALS is not.');
  if (!URL.canParse(url)) throw new ConfigWrong(`OBJECTS_URL is “${url}”, and is to be an address such as https://objects.example.org.`);
  if ((statSync(credentials).mode & 0o077) !== 0)
    throw new ConfigWrong(`Others may read ${credentials}: it is for the server alone (chmod 600).`);
  const [, accessKeyId = '', secretAccessKey = ''] = /^([^:]+):(.+)$/.exec(said.trim()) ?? [];
  if (!accessKeyId) throw new ConfigWrong(`${credentials} is to say a key and its secret, with a colon between them.`);
  const region = env['OBJECTS_REGION'] ?? 'us-east-1';
  return { url, region, bucket, accessKeyId, secretAccessKey, lockDays: positive(env, 'OBJECTS_LOCK_DAYS', 180) };
}

/** Mail leaves in somebody’s name, with a password from a file that says `user:password`, and an authority from another. Throws when something of it is missing. */
function mailIn(env: NodeJS.ProcessEnv): Config['mail'] {
  const url = env['SMTP_URL'];
  if (url === undefined || url === '') return null;
  if (url === 'stand-in') return url;
  const { MAIL_FROM: from, SMTP_CREDENTIALS: credentials, MAIL_RETURNS: returns } = env;
  if (!URL.canParse(url) || !['smtp:', 'smtps:'].includes(new URL(url).protocol))
    throw new ConfigWrong(`SMTP_URL is “${url}”, and is to be an address such as smtp://mail.example.org:587.`);
  if (!from) throw new ConfigWrong('SMTP_URL is set, and MAIL_FROM does not say in whose name mail leaves.');
  const said = fileNamed(env, 'SMTP_CREDENTIALS');
  if (credentials && (statSync(credentials).mode & 0o077) !== 0)
    throw new ConfigWrong(`Others may read ${credentials}: it is for the server alone (chmod 600).`);
  const [, user = null, password = null] = /^([^:]+):(.+)$/.exec((said ?? '').trim()) ?? [];
  if (said !== null && user === null)
    throw new ConfigWrong(`${credentials ?? ''} is to say a user and a password, with a colon between them.`);
  const [, domain, host, port] = /^([^@\s]+\.[^@\s]+)@([^@\s]+):(\d{1,5})$/.exec(returns ?? '') ?? [];
  if (returns && !domain)
    throw new ConfigWrong(
      `MAIL_RETURNS is “${returns}”, and is to be a domain and where to listen for its mail: returns.example.org@127.0.0.1:2525.`,
    );
  const authority = fileNamed(env, 'SMTP_CA');
  return { url, user, password, authority, from, returns: domain ? { domain, host: host!, port: Number(port) } : null };
}

function contentsIn(env: NodeJS.ProcessEnv): Config['contentsIn'] {
  const where = env['CONTENTS_IN'] ?? 'database';
  if (where !== 'database' && where !== 'objects')
    throw new ConfigWrong(`CONTENTS_IN is “${where}”, and is to be “database” or “objects”.`);
  if (where === 'objects' && !env['OBJECTS_URL'])
    throw new ConfigWrong('CONTENTS_IN says objects, and OBJECTS_URL does not say where they are.');
  return where;
}

const listOf = (text = ''): string[] => text.split(/[\s,]+/).filter(Boolean);

/** Reads the configuration from the environment. Throws {@link ConfigWrong}. */
export function readConfig(env: NodeJS.ProcessEnv = process.env): Config {
  const ownerUrl = env['DATABASE_URL'];
  if (!ownerUrl) throw new ConfigWrong('DATABASE_URL names no database.');
  const root = repositoryRoot();
  const dataDir = env['KEY_CELLAR_DATA'] ?? join(root, '.data');
  const webDir = join(root, 'web', 'dist', 'web', 'browser');
  return {
    ownerUrl,
    appUrl: env['APP_DATABASE_URL'] ?? appUrlFor(ownerUrl),
    port: Number(env['PORT'] ?? 4180),
    host: env['HOST'] ?? '127.0.0.1',
    hosts: listOf(env['HOSTS']),
    proxies: listOf(env['TRUSTED_PROXIES']),
    idleMinutes: positive(env, 'SESSION_IDLE_MINUTES', 60),
    webDir: existsSync(webDir) ? webDir : null,
    migrationsDir: join(root, 'server', 'migrations'),
    assetsDir: join(root, 'server', 'assets'),
    logLevel: env['LOG_LEVEL'] ?? 'info',
    archiveUrl: outside(env, 'ARCHIVE_URL', 'ARCHIVE_KEY'),
    archiveKey: fileNamed(env, 'ARCHIVE_KEY'),
    timeAuthorityUrl: outside(env, 'TIME_AUTHORITY_URL', 'TIME_AUTHORITY_CERTIFICATES'),
    timeAuthorityCertificates: fileNamed(env, 'TIME_AUTHORITY_CERTIFICATES'),
    witnessUrl: outside(env, 'WITNESS_URL', 'WITNESS_KEY'),
    witnessKey: env['WITNESS_KEY'] ?? null,
    ledgerName: env['LEDGER_NAME'] ?? decodeURIComponent(new URL(ownerUrl).pathname.slice(1)),
    keysDir: env['KEYS_DIR'] ?? join(dataDir, 'keys'),
    keyBackupDays: positive(env, 'KEY_BACKUP_DAYS', 30),
    standIns: [],
    objects: objectsIn(env),
    contentsIn: contentsIn(env),
    metricsToken: env['METRICS_TOKEN'] ?? null,
    mail: mailIn(env),
    identityProvider: env['IDENTITY_PROVIDER'] === 'stand-in' ? 'stand-in' : null,
    publicUrl: (env['PUBLIC_URL'] ?? `http://${env['HOST'] ?? '127.0.0.1'}:${env['PORT'] ?? '4180'}`).replace(/\/+$/, ''),
    scanLanguages: languagesIn(env),
    standInsDir: env['STANDINS_DIR'] ?? join(dataDir, 'stand-ins'),
  };
}

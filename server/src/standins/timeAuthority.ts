import { createHash, randomBytes, randomUUID, webcrypto, X509Certificate } from 'node:crypto';
import { existsSync } from 'node:fs';
import { link, mkdir, readFile, rm, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import * as asn1 from 'asn1js';
import { Hono } from 'hono';
import * as pki from 'pkijs';
import { serveStandIn, type StandIn } from './listen.js';

pki.setEngine('node', new pki.CryptoEngine({ name: 'node', crypto: webcrypto as never }));

const oid = {
  commonName: '2.5.4.3',
  extendedKeyUsage: '2.5.29.37',
  timeStamping: '1.3.6.1.5.5.7.3.8',
  tstInfo: '1.2.840.113549.1.9.16.1.4',
  signedData: '1.2.840.113549.1.7.2',
  contentType: '1.2.840.113549.1.9.3',
  messageDigest: '1.2.840.113549.1.9.4',
  signingCertificateV2: '1.2.840.113549.1.9.16.2.47',
  /** A policy of nobody's: ITU-T X.667, a UUID as an arc. */
  policy: '2.25.163838462829911254498376128937430298745',
} as const;
const algorithm = { name: 'ECDSA', namedCurve: 'P-256' } as const;

interface Identity {
  readonly privateKey: webcrypto.CryptoKey;
  readonly certificate: pki.Certificate;
}

const bytesOf = (buffer: ArrayBuffer): Buffer => Buffer.from(buffer);

async function newIdentity(): Promise<{ pkcs8: Buffer; certificate: Buffer }> {
  const keys = await webcrypto.subtle.generateKey(algorithm, true, ['sign', 'verify']);
  const certificate = new pki.Certificate();
  certificate.version = 2;
  certificate.serialNumber = new asn1.Integer({ value: 1 });
  for (const names of [certificate.subject, certificate.issuer]) {
    names.typesAndValues.push(
      new pki.AttributeTypeAndValue({ type: oid.commonName, value: new asn1.Utf8String({ value: 'Tarrin Sound Time Office' }) }),
    );
  }
  certificate.notBefore.value = new Date('1998-01-01T00:00:00Z');
  certificate.notAfter.value = new Date('2049-12-31T00:00:00Z');
  const usage = new pki.ExtKeyUsage({ keyPurposes: [oid.timeStamping] });
  // RFC 3161 §2.3: the key purpose is time stamping alone, and critical.
  certificate.extensions = [
    new pki.Extension({ extnID: oid.extendedKeyUsage, critical: true, extnValue: usage.toSchema().toBER(), parsedValue: usage }),
  ];
  await certificate.subjectPublicKeyInfo.importKey(keys.publicKey);
  await certificate.sign(keys.privateKey, 'SHA-256');
  return {
    pkcs8: bytesOf(await webcrypto.subtle.exportKey('pkcs8', keys.privateKey)),
    certificate: bytesOf(certificate.toSchema().toBER()),
  };
}

/** The identity kept in a folder, made there by whoever comes first: several servers may begin at the same moment. */
async function identityIn(folder: string): Promise<Identity> {
  await mkdir(folder, { recursive: true, mode: 0o700 });
  const file = join(folder, 'identity.json');
  if (!existsSync(file)) {
    const made = await newIdentity();
    const own = join(folder, `${randomUUID()}.part`);
    await writeFile(own, JSON.stringify({ key: made.pkcs8.toString('base64'), certificate: made.certificate.toString('base64') }), {
      mode: 0o600,
    });
    // A link appears whole or not at all, and never replaces one that is there.
    await link(own, file).catch((error: NodeJS.ErrnoException) => {
      if (error.code !== 'EEXIST') throw error;
    });
    await rm(own);
  }
  const kept = JSON.parse(await readFile(file, 'utf8')) as { key: string; certificate: string };
  return {
    privateKey: await webcrypto.subtle.importKey('pkcs8', Buffer.from(kept.key, 'base64'), algorithm, false, ['sign']),
    certificate: pki.Certificate.fromBER(Buffer.from(kept.certificate, 'base64')),
  };
}

/** ESS signing-certificate-v2 (RFC 5816): binds the token to the certificate it was signed for. SHA-256 is its default. */
function signingCertificate(certificate: pki.Certificate): pki.Attribute {
  const fingerprint = createHash('sha256').update(bytesOf(certificate.toSchema().toBER())).digest();
  const certId = new asn1.Sequence({ value: [new asn1.OctetString({ valueHex: fingerprint })] });
  return new pki.Attribute({
    type: oid.signingCertificateV2,
    values: [new asn1.Sequence({ value: [new asn1.Sequence({ value: [certId] })] })],
  });
}

async function tokenFor(query: pki.TimeStampReq, at: Date, { privateKey, certificate }: Identity): Promise<pki.ContentInfo> {
  const info = new pki.TSTInfo({
    version: 1,
    policy: oid.policy,
    messageImprint: query.messageImprint,
    serialNumber: new asn1.Integer({ valueHex: Buffer.concat([Buffer.of(1), randomBytes(15)]) }),
    genTime: at,
    ...(query.nonce ? { nonce: query.nonce } : {}),
  });
  const content = bytesOf(info.toSchema().toBER());
  const digest = createHash('sha256').update(content).digest();
  const signed = new pki.SignedData({
    version: 3,
    encapContentInfo: new pki.EncapsulatedContentInfo({
      eContentType: oid.tstInfo,
      eContent: new asn1.OctetString({ valueHex: content }),
    }),
    signerInfos: [
      new pki.SignerInfo({
        version: 1,
        sid: new pki.IssuerAndSerialNumber({ issuer: certificate.issuer, serialNumber: certificate.serialNumber }),
        signedAttrs: new pki.SignedAndUnsignedAttributes({
          type: 0,
          attributes: [
            new pki.Attribute({ type: oid.contentType, values: [new asn1.ObjectIdentifier({ value: oid.tstInfo })] }),
            new pki.Attribute({ type: oid.messageDigest, values: [new asn1.OctetString({ valueHex: digest })] }),
            signingCertificate(certificate),
          ],
        }),
      }),
    ],
    certificates: [certificate],
  });
  await signed.sign(privateKey, 0, 'SHA-256');
  return new pki.ContentInfo({ contentType: oid.signedData, content: signed.toSchema(true) });
}

const granted = 0;
const rejection = 2;

export interface TimeAuthority extends StandIn {
  /** The certificate that it stamps with, as PEM. */
  readonly certificate: string;
}

/**
 * A time-stamping authority on loopback (RFC 3161 over HTTP, §3.4), in place of a real one. Its key and certificate stay
 * in `folder`. It stamps the time it is told in `x-repository-time`, so that it agrees with a demo clock.
 */
export async function startTimeAuthority(folder: string): Promise<TimeAuthority> {
  const identity = await identityIn(folder);
  const app = new Hono();
  app.post('/', async (context) => {
    const reply = new pki.TimeStampResp({ status: new pki.PKIStatusInfo({ status: rejection }) });
    try {
      const query = pki.TimeStampReq.fromBER(await context.req.arrayBuffer());
      const told = Date.parse(context.req.header('x-repository-time') ?? '');
      const at = new Date(Number.isNaN(told) ? Date.now() : told);
      at.setUTCMilliseconds(0);
      reply.timeStampToken = await tokenFor(query, at, identity);
      reply.status = new pki.PKIStatusInfo({ status: granted });
    } catch {
      // A query that cannot be read is answered with a rejection, as the standard asks.
    }
    return context.body(reply.toSchema().toBER(), 200, { 'content-type': 'application/timestamp-reply' });
  });
  const certificate = new X509Certificate(bytesOf(identity.certificate.toSchema().toBER())).toString();
  return { ...(await serveStandIn(app)), certificate };
}

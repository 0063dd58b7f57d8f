import { createHash, randomBytes, webcrypto } from 'node:crypto';
import * as asn1 from 'asn1js';
import * as pki from 'pkijs';

pki.setEngine('node', new pki.CryptoEngine({ name: 'node', crypto: webcrypto as never }));

const sha256Oid = '2.16.840.1.101.3.4.2.1';
const commonName = '2.5.4.3';
const extendedKeyUsage = '2.5.29.37';
const timeStamping = '1.3.6.1.5.5.7.3.8';
const patienceMs = 10_000;

/** A time stamp on a tree head (RFC 3161): the token as DER, when it says it was made, and by whom. */
export interface TimeStamp {
  readonly token: Buffer;
  readonly at: Date;
  readonly authority: string;
}

const imprintOf = (text: string): Buffer => createHash('sha256').update(text).digest();

interface ReadToken {
  readonly signed: pki.SignedData;
  readonly info: pki.TSTInfo;
  readonly authority: string;
}

function readToken(token: Uint8Array): ReadToken {
  const content = pki.ContentInfo.fromBER(token);
  const signed = new pki.SignedData({ schema: content.content });
  const info = pki.TSTInfo.fromBER(signed.encapContentInfo.eContent!.getValue());
  const certificate = signed.certificates?.[0];
  if (!(certificate instanceof pki.Certificate)) throw new Error('The token carries no certificate.');
  const name = certificate.subject.typesAndValues.find((t) => t.type === commonName)?.value.valueBlock as { value: string } | undefined;
  return { signed, info, authority: name?.value ?? 'unnamed authority' };
}

const stamps = (info: pki.TSTInfo, text: string): boolean =>
  info.messageImprint.hashAlgorithm.algorithmId === sha256Oid &&
  imprintOf(text).equals(Buffer.from(info.messageImprint.hashedMessage.valueBlock.valueHexView));

/**
 * Asks an authority to stamp a text. `at` is the repository's instant, for a stand-in that follows the demo clock. Throws when the
 * authority does not answer, refuses, stamps something else, or is none of those that are trusted (PEM).
 */
export async function requestTimeStamp(url: string, text: string, at: string, trusted: string): Promise<TimeStamp> {
  const nonce = new asn1.Integer({ valueHex: Buffer.concat([Buffer.of(1), randomBytes(8)]) });
  const query = new pki.TimeStampReq({
    version: 1,
    messageImprint: new pki.MessageImprint({
      hashAlgorithm: new pki.AlgorithmIdentifier({ algorithmId: sha256Oid }),
      hashedMessage: new asn1.OctetString({ valueHex: imprintOf(text) }),
    }),
    nonce,
    certReq: true,
  });
  const response = await fetch(url, {
    method: 'POST',
    headers: { 'content-type': 'application/timestamp-query', 'x-repository-time': at },
    body: query.toSchema().toBER(),
    signal: AbortSignal.timeout(patienceMs),
  });
  if (!response.ok) throw new Error(`The time-stamping authority answered ${response.status}.`);
  const reply = pki.TimeStampResp.fromBER(await response.arrayBuffer());
  // 0 granted, 1 granted with changes (RFC 3161 §2.4.2).
  if (reply.status.status > 1 || !reply.timeStampToken) throw new Error('The time-stamping authority refused.');
  const token = Buffer.from(reply.timeStampToken.toSchema().toBER());
  const { info, authority } = readToken(token);
  if (!stamps(info, text) || !info.nonce?.isEqual(nonce)) throw new Error('The time-stamping authority stamped something else.');
  if (!(await stampedAt(token, text, trusted))) throw new Error('The time-stamping authority is none that is trusted.');
  return { token, at: info.genTime, authority };
}

/** The certificates that a text holds as PEM. */
function certificatesOf(pem: string): pki.Certificate[] {
  return [...pem.matchAll(/-----BEGIN CERTIFICATE-----([^-]+)-----END CERTIFICATE-----/g)].map(([, body]) =>
    pki.Certificate.fromBER(Buffer.from(body!, 'base64')),
  );
}

const der = (certificate: pki.Certificate): Buffer => Buffer.from(certificate.toSchema().toBER());
const sameBytes = (one: pki.Certificate, other: unknown): boolean => other instanceof pki.Certificate && der(one).equals(der(other));
const valid = ({ notBefore, notAfter }: pki.Certificate, on: Date): boolean => notBefore.value <= on && on <= notAfter.value;

const mayStamp = (certificate: pki.Certificate): boolean => {
  const usage = certificate.extensions?.find((e) => e.extnID === extendedKeyUsage);
  return usage?.critical === true && (usage.parsedValue as pki.ExtKeyUsage).keyPurposes.join() === timeStamping;
};

/**
 * When a token says that this text was, once its signature holds and leads to one of the certificates that are trusted (PEM); null
 * when it does not. Its own certificate must be for time stamping alone (RFC 3161 §2.3).
 */
export async function stampedAt(token: Uint8Array, text: string, trusted: string): Promise<Date | null> {
  try {
    const { signed, info } = readToken(token);
    const data = Uint8Array.from(Buffer.from(text)).buffer;
    const certificates = certificatesOf(trusted);
    // One that is trusted itself needs no path to another.
    const known = certificates.some((one) => sameBytes(one, signed.certificates?.[0]));
    const found = await signed.verify({
      signer: 0,
      data,
      checkChain: !known,
      trustedCerts: certificates,
      checkDate: info.genTime,
      extendedMode: true,
    });
    const signer = found.signerCertificate;
    if (!signer || found.signatureVerified !== true || !mayStamp(signer) || !stamps(info, text)) return null;
    const led = known
      ? sameBytes(signer, signed.certificates?.[0]) && valid(signer, info.genTime)
      : found.signerCertificateVerified === true;
    return led ? info.genTime : null;
  } catch {
    return null;
  }
}

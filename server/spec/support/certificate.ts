import { webcrypto } from 'node:crypto';
import * as asn1 from 'asn1js';
import * as pki from 'pkijs';

const pem = (kind: string, der: ArrayBuffer): string =>
  `-----BEGIN ${kind}-----\n${Buffer.from(der).toString('base64').replace(/.{64}/g, '$&\n')}\n-----END ${kind}-----\n`;

/** A certificate for an IPv4 address, signed by itself, with its key; both as PEM. */
export async function certificateFor(address: string): Promise<{ readonly key: string; readonly cert: string }> {
  pki.setEngine('node', new pki.CryptoEngine({ name: 'node', crypto: webcrypto as never }));
  const keys = await webcrypto.subtle.generateKey({ name: 'ECDSA', namedCurve: 'P-256' }, true, ['sign', 'verify']);
  const certificate = new pki.Certificate();
  certificate.version = 2;
  certificate.serialNumber = new asn1.Integer({ value: 1 });
  for (const names of [certificate.subject, certificate.issuer])
    names.typesAndValues.push(new pki.AttributeTypeAndValue({ type: '2.5.4.3', value: new asn1.Utf8String({ value: 'Mail' }) }));
  certificate.notBefore.value = new Date('1998-01-01T00:00:00Z');
  certificate.notAfter.value = new Date('2049-12-31T00:00:00Z');
  const at = new asn1.OctetString({ valueHex: new Uint8Array(address.split('.').map(Number)).buffer });
  const names = new pki.GeneralNames({ names: [new pki.GeneralName({ type: 7, value: at })] });
  certificate.extensions = [
    new pki.Extension({ extnID: '2.5.29.19', critical: true, extnValue: new pki.BasicConstraints({ cA: true }).toSchema().toBER() }),
    new pki.Extension({ extnID: '2.5.29.17', extnValue: names.toSchema().toBER() }),
  ];
  await certificate.subjectPublicKeyInfo.importKey(keys.publicKey as never);
  await certificate.sign(keys.privateKey as never, 'SHA-256');
  return {
    key: pem('PRIVATE KEY', await webcrypto.subtle.exportKey('pkcs8', keys.privateKey)),
    cert: pem('CERTIFICATE', certificate.toSchema().toBER()),
  };
}

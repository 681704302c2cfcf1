/** Certificates that others have shown: listed, and trusted by hand. */
import { X509Certificate } from 'node:crypto';
import { readFileSync, readdirSync } from 'node:fs';
import { join } from 'node:path';
import type { OPCUACertificateManager } from 'node-opcua-certificate-manager';
import type { OpcuaCertificate } from '@ferrule/core/bench';

type Folders = Pick<OPCUACertificateManager, 'trustedFolder' | 'rejectedFolder'>;
const allIn = (of: Folders) => [...shownIn(of.trustedFolder, true), ...shownIn(of.rejectedFolder, false)];

export function shownCertificates(of: Folders): OpcuaCertificate[] {
  return allIn(of).map(({ of: c, isTrusted }) => ({
    thumbprint: thumbprintOf(c),
    subject: subjectOf(c),
    validTo: new Date(c.validTo).toISOString().slice(0, 10),
    isTrusted,
  }));
}

/** Trusts one that was shown, or does not any more; nothing where there is none of that thumbprint. */
export async function trustShown(of: OPCUACertificateManager, thumbprint: string, isTrusted: boolean): Promise<void> {
  const found = allIn(of).find((c) => thumbprintOf(c.of) === thumbprint);
  if (found) await (isTrusted ? of.trustCertificate(found.of.raw) : of.rejectCertificate(found.of.raw));
}

function* shownIn(folder: string, isTrusted: boolean): Generator<{ of: X509Certificate; isTrusted: boolean }> {
  for (const name of filesIn(folder))
    try {
      yield { of: new X509Certificate(readFileSync(join(folder, name))), isTrusted };
    } catch {
      // No certificate.
    }
}
function filesIn(folder: string): string[] {
  try {
    return readdirSync(folder).filter((n) => /\.(pem|der|crt)$/i.test(n));
  } catch {
    return [];
  }
}
export const thumbprintOf = (c: X509Certificate): string => c.fingerprint.replaceAll(':', '').toLowerCase();
/** The common name, or all of it in one line. */
const subjectOf = (c: X509Certificate): string => /^CN=(.+)$/m.exec(c.subject)?.[1] ?? c.subject.replaceAll('\n', ', ');

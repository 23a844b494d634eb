import { createPrivateKey, X509Certificate } from 'node:crypto';
import { existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Settings } from '../../src/lib/server/settings';
import { watch, well, wordsOf, wrong, type Finding } from './finding';

const DAY_MS = 86_400_000;
const SOON_DAYS = 30;

/** What units are shown: it is good today and for a while, its key fits, and it bears the name that they ask for. */
export function serverCertificate(settings: Settings): Finding {
	const what = 'certificate';
	const own = join(settings.LIMEN_STATE_DIR, 'keys');
	const [certificateFile, keyFile] = [
		settings.LIMEN_TLS_CERTIFICATE ?? join(own, 'bootstrap.crt'),
		settings.LIMEN_TLS_KEY ?? join(own, 'bootstrap.key')
	];
	const renew = settings.LIMEN_TLS_CERTIFICATE
		? `Put a new one at ${certificateFile} and start Limen anew. Units that were told of this one alone are told again by their network.`
		: `Remove ${certificateFile} and ${keyFile} and start Limen anew: it makes others. Units learn of them by their network, signed.`;
	if (!existsSync(certificateFile))
		return settings.LIMEN_TLS_CERTIFICATE
			? wrong(what, `${certificateFile} is not there.`, 'Set LIMEN_TLS_CERTIFICATE to where it is.')
			: watch(what, 'There is none yet.', 'Limen makes one at its first start.');
	try {
		const certificate = new X509Certificate(readFileSync(certificateFile));
		const [from, to] = [Date.parse(certificate.validFrom), Date.parse(certificate.validTo)];
		const day = (at: number) => new Date(at).toISOString().slice(0, 10);
		if (Date.now() > to)
			return wrong(what, `It ended on ${day(to)}: units that look at it do not come.`, renew);
		if (Date.now() < from)
			return wrong(
				what,
				`It is good from ${day(from)} on, which is not yet.`,
				`Look at the clock of this machine. ${renew}`
			);
		if (!certificate.checkPrivateKey(createPrivateKey(readFileSync(keyFile))))
			return wrong(
				what,
				`The key in ${keyFile} is not its key.`,
				'Set LIMEN_TLS_CERTIFICATE and LIMEN_TLS_KEY to a pair.'
			);
		const name = settings.LIMEN_BOOTSTRAP_NAME;
		if (name && !certificate.checkHost(name))
			return wrong(
				what,
				`It is not for ${name}, by which units ask.`,
				`Set LIMEN_BOOTSTRAP_NAME to a name that it bears. ${renew}`
			);
		return to - Date.now() < SOON_DAYS * DAY_MS
			? watch(what, `It ends on ${day(to)}.`, renew)
			: well(what, `It is good until ${day(to)}.`);
	} catch (error) {
		return wrong(what, `${certificateFile} or its key cannot be read: ${wordsOf(error)}.`, renew);
	}
}

import { readFileSync, statSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { verifyDetached } from '../src/lib/server/signing/cms';
import { Problem, say } from './problem';

const USAGE =
	'Say which file: ./limen verify-handover handover.pdf --certificate CERTIFICATE. Its seal, handover.pdf.p7s, lies beside it.';

/**
 * Verifies a handover's file against the certificate that its reader was given beforehand, as it was good when it was
 * signed. Needs no database and nothing that runs.
 */
export async function verifyHandover([file, option, given, more]: readonly string[]): Promise<void> {
	if (!file || more !== undefined || (option !== undefined && (option !== '--certificate' || !given)))
		throw new Problem(USAGE);
	const beside = join(dirname(file), 'certificate.pem');
	const certificate = given ?? beside;
	const [data, signature, trusted] = [file, `${file}.p7s`, certificate].map((path) => {
		if (!statSync(path, { throwIfNoEntry: false })?.isFile())
			throw new Problem(`There is no file ${path}. ${USAGE}`);
		return readFileSync(path);
	});
	const verified = await verifyDetached(data!, signature!, trusted!.toString());
	if (!verified.ok) throw new Problem(`${file}: ${verified.problem}`);
	say(
		`${file} is as it was sealed on ${verified.at.toISOString()}, by ${verified.subject.replace(/^CN=/, '')}.`
	);
	if (!given)
		say(
			'This was checked against the certificate that came with it. Check against the one that you were given beforehand: --certificate.'
		);
}

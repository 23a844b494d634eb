import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { issue, type Signer } from '../../../src/core/trust';
import { bindUnit } from '../../../src/lib/server/binding';
import { BOOTSTRAP, runAs } from '../../../src/lib/server/database';
import { askNext, claimBatch, useRegistries, type RegistryPlace } from '../../../src/lib/server/intake';
import { Registry, type KnownUnit } from '../../../standins/registry/registry';
import { renewVouchers } from '../../../src/lib/server/trust';
import { ACTOR, customerId, lineOf, openPosition, type TestLabel } from '../making';
import { must } from '../profile/profile-making';

export const knownTo = ({ serial, claimCode }: TestLabel, owner?: string): KnownUnit => ({
	serial,
	claimCode,
	...(owner ? { owner } : {})
});

/** A maker's registry of a test's own, over HTTP, with what it knows; asked in the place of all others until it is closed. */
export async function openRegistry(known: readonly KnownUnit[], authority: Signer | null = null) {
	const registry = new Registry('okapira', known, false, authority);
	const server: Server = createServer((request, response) => {
		let text = '';
		request.on('data', (chunk: Buffer) => (text += chunk.toString()));
		request.on(
			'end',
			() => void registry.answer((request.url ?? '').slice(1).split('/'), request, response, text)
		);
	});
	await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
	const { port } = server.address() as AddressInfo;
	const place: RegistryPlace = { makerId: 'okapira', url: `http://127.0.0.1:${port}` };
	useRegistries([place]);
	const close = async () => {
		useRegistries(undefined);
		server.closeAllConnections();
		await new Promise((resolve) => server.close(resolve));
	};
	return { registry, place, server, close };
}

const DAY_MS = 86_400_000;
/** A maker's authority for vouchers, below a root of its own. */
export async function voucherAuthority(maker: string): Promise<Signer> {
	const [from, until] = [new Date(Date.now() - DAY_MS), new Date(Date.now() + 365 * DAY_MS)];
	const root = await issue({ subject: `CN=${maker} root`, from, until, isAuthority: true });
	return issue({ subject: `CN=${maker} vouchers`, from, until, isAuthority: false }, root);
}

/** What goes on by itself, in this process, which knows the registry that is asked. */
export const renewAll = () => runAs(BOOTSTRAP, () => renewVouchers(() => false));

/** A unit that is claimed at its registry, bound to an open position, and has its voucher where there are any. */
export async function claimedAt(place: RegistryPlace, label: TestLabel) {
	const { rows } = must(await claimBatch(await customerId(), lineOf(label), ACTOR));
	const unitId = rows[0]!.unitId!;
	const positionId = await openPosition();
	const { runId } = must(await bindUnit(positionId, unitId, ACTOR));
	if (!(await askNext(place))) throw new Error('The registry was not asked.');
	await renewAll();
	return { ...label, unitId, positionId, runId };
}

import { createHash } from 'node:crypto';
import { existsSync } from 'node:fs';
import { Readable } from 'node:stream';
import { bindUnit } from '../../src/lib/server/binding';
import { database } from '../../src/lib/server/database';
import { findImage, setImageState, uploadImage } from '../../src/lib/server/firmware';
import { claimBatch, useRegistries, type RegistryPlace } from '../../src/lib/server/intake';
import { customers } from '../../src/lib/server/plan';
import { file, HUB, hubSerials, INES, MAREN, rows } from './files';

/** Made-up firmware: as many octets as the file says, always the same ones. */
export async function loadImages(): Promise<void> {
	for (const { firmwareLine, version, bytes, notes = '' } of JSON.parse(file('images.json')) as {
		firmwareLine: string;
		version: string;
		bytes: number;
		notes?: string;
	}[]) {
		if (await findImage(firmwareLine, version)) continue;
		const content = Readable.from([madeUpOctets(`${firmwareLine} ${version}`, bytes)]);
		const uploaded = await uploadImage(
			{ firmwareLine, version, fileName: `${firmwareLine}-${version}.bin`, content },
			MAREN
		);
		if (uploaded.ok && notes !== '')
			await setImageState({ image: uploaded.done.id, edit: 0, state: 'allowed', reason: '', notes }, MAREN);
	}
}

function madeUpOctets(seed: string, bytes: number): Uint8Array<ArrayBuffer> {
	const octets = new Uint8Array(bytes);
	for (let block = 0; block * 32 < bytes; block++)
		octets.set(
			createHash('sha256')
				.update(`${seed} ${block}`)
				.digest()
				.subarray(0, bytes - block * 32),
			block * 32
		);
	return octets;
}

/** Claims the customers' units and binds those that have a place; the makers' registries are asked once somebody goes on with it. */
export async function loadUnits(registries: readonly RegistryPlace[]): Promise<void> {
	useRegistries(registries);
	for (const { id, lines } of await claimed()) await claimBatch(id, lines, INES);
	await bindAll(rows('bindings.csv'));
}

/** Claims and binds the hubs alone: all the rest leads to them. */
export async function loadHubs(registries: readonly RegistryPlace[]): Promise<void> {
	useRegistries(registries);
	for (const { id, lines } of await claimed()) {
		const hubs = lines
			.split('\n')
			.filter((line, index) => index === 0 || hubSerials.some((serial) => line.startsWith(serial)));
		await claimBatch(id, hubs.join('\n'), INES);
	}
	await bindAll(rows('bindings.csv').filter(({ position }) => position === HUB));
}

/** The units of each customer; one whose network is yet to be taken on has none. */
const claimed = async (): Promise<readonly { readonly id: string; readonly lines: string }[]> =>
	(await customers()).flatMap(({ id, name }) => {
		const list = `claimed-${name.toLowerCase().replace(/[^a-z]+/g, '-')}.csv`;
		return existsSync(new URL(`../../demo/${list}`, import.meta.url)) ? [{ id, lines: file(list) }] : [];
	});

async function bindAll(bindings: readonly Record<string, string>[]): Promise<void> {
	const { rows: places } = await database().raw(
		`select unit.id as unit_id, position.id as position_id
		from jsonb_to_recordset(?::jsonb) as wanted(serial text, customer text, site text, position text)
		join customer on customer.name = wanted.customer join site on site.customer_id = customer.id and site.name = wanted.site
		join position on position.site_id = site.id and position.name = wanted.position
		join unit on unit.serial = wanted.serial and unit.customer_id = customer.id`,
		[JSON.stringify(bindings)]
	);
	for (const { position_id, unit_id } of places) await bindUnit(position_id, unit_id, INES);
}


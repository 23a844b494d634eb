import { readFileSync } from 'node:fs';
import * as v from 'valibot';
import type { Signer } from '../../src/core/trust';
import { KeptFile } from '../kept-file';
import { Registry, type KnownUnit } from './registry';

const listSchema = v.array(
	v.object({ serial: v.string(), claimCode: v.string(), maker: v.string(), owner: v.optional(v.string()) })
);

export type Registries = ReadonlyMap<string, Registry>;

/** The makers' registries, which know the yard's units and whatever else a file lists; by the maker's id. What they were told they keep. */
export function openRegistries(
	unitsFile: string,
	moreFile: string | undefined,
	trusting: boolean,
	authorities: ReadonlyMap<string, Signer>,
	keptAt: string
): { registries: Registries; keep: () => void } {
	const read = (file: string) => v.parse(listSchema, JSON.parse(readFileSync(file, 'utf8')));
	const byMaker = new Map<string, KnownUnit[]>();
	for (const { maker, owner, ...unit } of [...read(unitsFile), ...(moreFile ? read(moreFile) : [])])
		byMaker.set(maker, [
			...(byMaker.get(maker) ?? []),
			// One that trusts knows nothing before it is asked
			...(trusting ? [] : [{ ...unit, ...(owner ? { owner } : {}) }])
		]);
	const registries: Registries = new Map(
		[...byMaker].map(([maker, known]) => [
			maker,
			new Registry(maker, known, trusting, authorities.get(maker) ?? null)
		])
	);
	const file = new KeptFile(keptAt, () =>
		Object.fromEntries([...registries].map(([maker, { kept }]) => [maker, kept]))
	);
	const before = file.read() ?? {};
	for (const [maker, registry] of registries) {
		registry.recall(before[maker] ?? {});
		registry.changed = () => file.changed();
	}
	return { registries, keep: () => file.keep() };
}

import { readFileSync } from 'node:fs';
import { NO_RULES, type DialectRules, type Dialect } from '../../src/core/config';
import { judgeProof } from '../../src/core/onboarding';
import { actAlwaysAs, closeDatabase, database, SETUP } from '../../src/lib/server/database';
import { unseal } from '../../src/lib/server/keys';

/**
 * Run by itself in the surroundings of an installation, with the file in which the yard keeps what its units have in their
 * flash: says of each bound unit that does not run what it was given last in what it differs.
 */
actAlwaysAs(SETUP);
const flash = JSON.parse(readFileSync(process.argv[2]!, 'utf8')) as Record<
	string,
	{ readonly flash: { readonly configuration: string | null } }
>;
const { rows } = await database().raw(
	`select unit.serial, model.dialect, model.dialect_rules as rules, given.rendering from binding join unit on unit.id = binding.unit_id
	join model on model.id = unit.model_id
	join lateral (
		select s.rendering from served s where s.position_id = binding.position_id and s.unit_id = binding.unit_id order by s.turn desc limit 1
	) given on true order by unit.serial`
);
for (const { serial, dialect, rules, rendering } of rows as {
	serial: string;
	dialect: Dialect;
	rules: Partial<DialectRules>;
	rendering: string;
}[]) {
	const { reason, holds } = judgeProof({
		dialect,
		rules: { ...NO_RULES, ...rules },
		intended: unseal(rendering),
		running: flash[serial]?.flash.configuration ?? '',
		targetVersion: null,
		runningVersion: ''
	});
	if (!holds) console.log(`${serial}: ${reason}`);
}
await closeDatabase();

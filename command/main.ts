import { Problem } from './problem';

const USAGE = `Usage: ./limen COMMAND
  demo    everything, with made-up customers and simulated units, until Ctrl-C
  test    types, lint, the dependency rule, unit, server, hostile, installation
          and browser tests; with names of those, these only; with --only TEXT,
          tests that are called so; long: all of them, and longer; hostile
          --minutes N: made-up attacks for so long
  dev     the application with live reload, for working on it
  serve   the application alone, for real units and people, until Ctrl-C
  bench   benchmarks, each against a baseline in the same run; with names, these only
  soak    works for --minutes 30 with --units 200 that fail, while its processes
          are killed one after the other; then compares all; --seed N: as before
  doctor [--json]
          looks at everything that Limen stands on, and says what to do; ends
          with 1 where something is wrong
  backup FOLDER, restore FOLDER
          database, keys and images, out and in again
  export CUSTOMER FILE, bring-in FILE
          everything of a customer as one ZIP, and into an empty installation;
          LIMEN_PASSPHRASE locks its secrets
  verify-ledger [--from HEAD]
          proves that no entry was changed or removed; with a head that was kept
          outside, also that it is the same ledger since
  verify-handover FILE [--certificate PEM]
          proves that a handover's file is as it was sealed, and by whom
  schema  draws docs/schema.md, what the database holds
  rotate-key
          seals all secrets with a new key
  stop    stops what runs here
  reset   stops it and removes the database, keys and images of this directory`;

const COMMANDS: Record<string, () => Promise<void>> = {
	demo: async () => (await import('./limen')).demo(),
	dev: async () => (await import('./limen')).dev(),
	test: async () => (await import('./test/test')).test(parameters),
	serve: async () => (await import('./limen')).serve(),
	doctor: async () => (await import('./doctor')).doctor(parameters),
	backup: async () => (await import('./running/keep')).backup(parameters),
	restore: async () => (await import('./running/keep')).restore(parameters),
	export: async () => (await import('./customer-file')).exportCustomer(parameters),
	'bring-in': async () => (await import('./customer-file')).importCustomer(parameters),
	'verify-ledger': async () => (await import('./running/keep')).verifyLedger(parameters),
	'verify-handover': async () => (await import('./verify-handover')).verifyHandover(parameters),
	schema: async () => (await import('./schema')).schema(),
	'rotate-key': async () => (await import('./running/keep')).rotateKey(),
	bench: async () => (await import('../bench/main')).bench(parameters),
	soak: async () => (await import('../tests/soak/run')).run(parameters),
	stop: async () => (await import('./running/stop')).stop(),
	reset: async () => (await import('./running/stop')).reset()
};

const [name = '', ...parameters] = process.argv.slice(2);
if (!Object.hasOwn(COMMANDS, name)) {
	console.error(USAGE);
	process.exit(name === '' || name === 'help' || name === '--help' ? 0 : 1);
}
try {
	await COMMANDS[name]!();
} catch (error) {
	const full = (error as NodeJS.ErrnoException).code === 'ENOSPC';
	if (full) console.error('The disk is full: make room and start again. Nothing is damaged.');
	else if (error instanceof Problem || /^Settings: /.test((error as Error).message))
		console.error((error as Error).message);
	else console.error(error);
	process.exit(1);
}

import { execFileSync } from 'node:child_process';
import { existsSync, readdirSync } from 'node:fs';
import { Problem, say } from './problem';

const mayInstall = () => process.getuid?.() === 0 && existsSync('/usr/bin/apt-get');

/** Installs a Debian package when it is missing; without root, says which command does it. */
export function need(name: string, found: () => boolean, install = mayInstall()): void {
	if (found()) return;
	if (!install)
		throw new Problem(
			`The Debian package “${name}” is missing. Install it with: sudo apt-get update && sudo apt-get install -y --no-install-recommends ${name}`
		);
	say(`Installing the Debian package ${name} …`);
	const environment = { ...process.env, DEBIAN_FRONTEND: 'noninteractive' };
	try {
		execFileSync('apt-get', ['update', '-qq'], { stdio: ['ignore', 'ignore', 'inherit'], env: environment });
		execFileSync('apt-get', ['install', '-y', '-qq', '--no-install-recommends', name], {
			stdio: ['ignore', 'ignore', 'inherit'],
			env: environment
		});
	} catch {
		throw new Problem(
			`The Debian package “${name}” could not be installed; see above. Try: apt-get update && apt-get install -y ${name}`
		);
	}
	if (!found())
		throw new Problem(`The Debian package “${name}” was installed but does not hold what was expected.`);
}

const VERSIONS = '/usr/lib/postgresql';

/** The newest PostgreSQL's programs, from Debian's package. */
export function postgresPrograms(): string {
	const newest = () =>
		existsSync(VERSIONS)
			? readdirSync(VERSIONS)
					.filter((version) => existsSync(`${VERSIONS}/${version}/bin/initdb`))
					.sort((a, b) => Number(b) - Number(a))[0]
			: undefined;
	need('postgresql', () => newest() !== undefined);
	return `${VERSIONS}/${newest()}/bin`;
}

export const CHROMIUM = '/usr/bin/chromium';
/** The last switch of its kind counts alone: what Playwright leaves out is said again. */
const PLAYWRIGHT_WITHOUT = [
	'AvoidUnnecessaryBeforeUnloadCheckSync',
	'DestroyProfileOnBrowserClose',
	'HttpsUpgrades',
	'HttpsFirstBalancedModeAutoEnable',
	'LensOverlay',
	'MediaRouter',
	'PaintHolding',
	'ThirdPartyStoragePartitioning',
	'AvoidCorsURLLoaderRestartOnRedirect',
	'OptimizationHints',
	'NetworkTimeServiceQuerying',
	'AimEnabled',
	'PreconnectToSearch'
];
/** Pages of the browser’s own behind its address bar: with each new window they took half a second of a core. */
const WITHOUT = [...PLAYWRIGHT_WITHOUT, 'WebUIOmniboxPopup', 'WebUIOmniboxFullPopup', 'WebUIOmniboxAimPopup'];
/** Without a monitor, and without calling anybody. */
export const CHROMIUM_ARGUMENTS = [
	'--no-sandbox',
	'--disable-gpu',
	'--disable-quic',
	'--no-first-run',
	'--disable-background-networking',
	'--disable-component-update',
	'--disable-sync',
	`--disable-features=${WITHOUT.join(',')}`
];
export const needChromium = (): void => need('chromium', () => existsSync(CHROMIUM));
/** For tests: somebody else's reader of YANG. */
export const needYanglint = (): void => need('libyang-tools', () => existsSync('/usr/bin/yanglint'));

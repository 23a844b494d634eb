import { parentPort } from 'node:worker_threads';
import { sinceWhich } from '../../../core/archive';
import { signConveyed } from '../../../core/bootstrap';
import { alignConfigs } from '../../../core/config';
import { compareSource, readTable } from '../../../core/connector';
import { findingsBetween } from '../../../core/drift';
import { readIntake } from '../../../core/intake';
import { readReply } from '../../../core/netconf';
import { judgeProof } from '../../../core/onboarding';
import { errorIn, readAnswer, readPack, tryPack } from '../../../core/pack';
import { checkPiece, coverageOf } from '../../../core/profile';
import type { Printing } from '../paper/press';
import * as renderings from '../profile/revisions/renderings';
import { pathNames } from '../profile/sources';
import { rehearseSources, type ToRehearse } from '../watch/twins';
import { commandsWithin } from '../../../core/send';
import { arrange } from '../../../core/reachability';
import { groupCollected, learn, reshape } from '../../../core/takeon';
import type { LearntNow, ToLearn } from '../takeon/learning';
import type { ReportDocument } from '../../../core/report';
import { readRevocationList } from '../../../core/trust';
import { readHolidays } from '../../../core/windows';
import { checkPicture } from '../reports/picture';
import { showReport, writeReport, type Unwritten } from '../reports/write';
import { readXlsx } from '../xlsx';
import { READY, type Answered, type Asked } from './messages';

const { renderPosition } = renderings;

/**
 * One thread beside the main one: works what it is sent, one after the other. What is worked here are pure
 * computations whose time or memory somebody outside could drive up.
 */
const TASKS: Readonly<Record<string, (input: never) => unknown>> = {
	readXlsx,
	readTable: (given: Parameters<typeof readTable>) => readTable(...given),
	compareSource,
	readHolidays: (given: Parameters<typeof readHolidays>) => readHolidays(...given),
	readIntake: (given: Parameters<typeof readIntake>) => readIntake(...given),
	renderPosition,
	renderPositions: (sources: readonly Parameters<typeof renderPosition>[0][]) => sources.map(renderPosition),
	rehearse: (given: ToRehearse) => rehearseSources({ ...renderings, pathNames }, given),
	judgeProof,
	groupCollected: (given: Parameters<typeof groupCollected>) => groupCollected(...given),
	learnGroup: ({ learning, choices, base }: ToLearn): LearntNow => {
		const learnt = base ?? learn(learning);
		const { learnt: result, problems } = reshape(learning, learnt, choices);
		return { base: learnt, result, problems };
	},
	errorIn: (given: Parameters<typeof errorIn>) => errorIn(...given),
	readAnswer: (given: Parameters<typeof readAnswer>) => readAnswer(...given),
	readReply: (given: Parameters<typeof readReply>) => readReply(...given),
	readPack,
	tryPack: (given: Parameters<typeof tryPack>) => tryPack(...given),
	alignConfigs,
	findingsBetween: (given: Parameters<typeof findingsBetween>) => findingsBetween(...given),
	commandsWithin,
	checkPieces: (pieces: readonly Parameters<typeof checkPiece>[0][]) => pieces.map(checkPiece),
	arrange,
	sinceWhich,
	signConveyed,
	readRevocationList: (given: Parameters<typeof readRevocationList>) => readRevocationList(...given),
	coverageOf: (given: Parameters<typeof coverageOf>) => coverageOf(...given),
	// With its fonts, which take their time: only a thread that prints reads them
	print: async ({ name, content, ...more }: Printing) =>
		(await import('../paper/print')).print(name, content, more),
	printReport: async (document: ReportDocument) => (await import('../paper/report')).printReport(document),
	showReport,
	writeReport: async (unwritten: Unwritten) =>
		writeReport(unwritten, (await import('../paper/report')).printReport),
	checkPicture
};

parentPort!.on('message', async ({ id, name, input }: Asked) => {
	let answer: Answered;
	try {
		answer = { id, ok: true, output: await TASKS[name]!(input as never) };
	} catch (error) {
		answer = { id, ok: false, message: (error as Error).message };
	}
	parentPort!.postMessage(answer);
});
parentPort!.postMessage(READY);

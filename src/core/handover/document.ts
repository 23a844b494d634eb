import { groupSerial } from '../intake';
import type { Block, ReportDocument } from '../report';
import { cableWords, drawCabling, type CablingPicture } from '../proof';
import { counted } from '../text';
import type { HandoverRecord } from './record';

const STATES = {
	holds: 'holds',
	fails: 'does not hold',
	unread: 'could not be read',
	cannot: 'cannot be asked'
} as const;
const SEEN = {
	right: 'as planned',
	half: 'seen by one end',
	elsewhere: 'in another port',
	missing: 'not seen',
	unread: ''
} as const;

/** Photos as the document shows them, in the order of the record. */
export type PhotoData = readonly { readonly data: string }[];

/**
 * A handover as a document for its reader: who, what stands there, what was proven with its figures, how it is cabled,
 * pictures, what is open, who accepted it. `moment` writes a time in the site's zone.
 */
export function handoverDocument(
	record: HandoverRecord,
	photos: PhotoData,
	moment: (iso: string) => string
): ReportDocument {
	const { site, units, proof, cabling, notes, openPoints, accepted, previous } = record;
	const held = proof.checks.filter(({ state }) => state === 'holds').length;
	const blocks: Block[] = [
		{
			kind: 'facts',
			title: '',
			facts: [
				{ name: 'Site', value: [site.name, site.address].filter(Boolean).join(', ') },
				{ name: 'Handed over', value: `${moment(record.madeAt)}, by ${record.madeBy}` },
				{
					name: 'Proof',
					value: `${proof.state === 'held' ? 'holds' : 'does not hold'}: ${held} of ${counted(proof.checks.length, 'check')}, ${moment(proof.endedAt)}`
				},
				{ name: 'Accepted', value: `${accepted.name}, ${accepted.how}, ${moment(accepted.at)}` }
			]
		},
		{
			kind: 'table',
			title: 'What stands here',
			columns: ['Position', 'Model', 'Serial number', 'MAC address', 'Firmware'],
			rows: units.map((one) => [
				one.position,
				one.model,
				groupSerial(one.serial),
				one.mac ?? '',
				one.firmware ?? ''
			]),
			mono: [2, 3],
			otherwise: 'Nothing stands here.'
		},
		...(openPoints.length > 0 ? [{ kind: 'text', title: 'Open points', lines: openPoints } as const] : []),
		{
			kind: 'table',
			title: 'What was proven',
			columns: ['Position', 'Check', '', 'What was found'],
			rows: proof.checks.map(({ position, title, state, words }) => [
				position,
				title,
				STATES[state],
				words.length > 300 ? `${words.slice(0, 300)}…` : words
			]),
			otherwise: 'Nothing was checked.'
		},
		...(cabling.length > 0
			? [{ kind: 'cabling', title: 'Cabling', picture: pictureOf(record) } as const]
			: []),
		{
			kind: 'table',
			title: cabling.length > 0 ? '' : 'Cabling',
			columns: ['From', 'Port', 'To', 'Port', ''],
			rows: cabling.map(({ from, fromPort, to, toPort, seen }) => [
				from,
				fromPort,
				to ?? 'the provider’s socket',
				toPort ?? '',
				SEEN[seen]
			]),
			mono: [1, 3],
			otherwise: 'No cable is planned.'
		},
		...(notes.length > 0
			? [
					{
						kind: 'text',
						title: 'Notes',
						lines: notes.map(
							({ position, words, at }) => `${position ? `${position}: ` : ''}${words} (${moment(at)})`
						)
					} as const
				]
			: []),
		...(photos.length > 0
			? [
					{
						kind: 'images',
						title: 'Photos',
						images: photos.map((photo, index) => ({
							...photo,
							words: [record.photos[index]!.position, record.photos[index]!.words].filter(Boolean).join(': ')
						}))
					} as const
				]
			: []),
		...(previous
			? [
					{
						kind: 'text',
						title: `Since handover ${previous.number}, ${moment(previous.madeAt)}`,
						lines: previous.differs.length > 0 ? previous.differs : ['Nothing differs.']
					} as const
				]
			: []),
		...(accepted.signature
			? [
					{
						kind: 'drawing',
						title: `Signed by ${accepted.name}`,
						svg: `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 600 200" width="600" height="200"><path d="${accepted.signature}" fill="none" stroke="#1f2430" stroke-width="3"/></svg>`,
						width: 240
					} as const
				]
			: []),
		{
			kind: 'facts',
			title: 'Configurations',
			facts: units.map(({ position, configuration }) => ({
				name: position,
				value:
					configuration === null
						? 'none was given'
						: `SHA-256 ${configuration.slice(0, 32)} ${configuration.slice(32)}`
			}))
		}
	];
	return {
		customer: record.customer,
		title: `Handover of ${site.name}`,
		subtitle: record.number > 1 ? `Number ${record.number}` : '',
		foot: `${record.firm === '' ? '' : `${record.firm}. `}Sealed: verify it against the certificate that you were given.`,
		blocks
	};
}

/** The cables of a record as they are drawn. */
function pictureOf({ cabling }: HandoverRecord): CablingPicture {
	const names = [...new Set(cabling.flatMap(({ from, to }) => (to === null ? [from] : [from, to])))];
	return drawCabling(
		names.map((name) => ({ id: name, name })),
		cabling.map(({ from, fromPort, to, toPort, seen }) => ({
			near: { device: from, port: fromPort },
			far: to === null ? null : { device: to, port: toPort ?? '' },
			state: seen,
			words: cableWords(seen, null)
		}))
	);
}

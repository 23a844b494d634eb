import type { Content } from 'pdfmake/interfaces';
import { groupSerial } from '../../../core/intake';
import {
	portPicture,
	portPictureSvg,
	siteCard,
	type CardPosition,
	type CardUplink,
	type SiteCard
} from '../../../core/paper';
import { done, refuse, type Act } from '../act';
import { database } from '../database';
import { enterInLedger, type Actor } from '../ledger';
import { cablingOf, type Cabling } from '../plan';
import { currentSettings, publicUrl } from '../settings';
import { inFonts, PAPER } from './print';
import { printed } from './press';
import { helpWords, makeLinks, type NewLink } from './progress';

interface CardSite {
	readonly id: string;
	readonly name: string;
	readonly street: string;
	readonly locality: string;
	readonly timeZone: string;
	readonly uplink: CardUplink;
	readonly appointmentAt: Date | null;
	readonly customerId: string;
	readonly customerName: string;
	readonly positions: readonly CardPosition[];
}

/** More at once is a print run, and keeps others waiting for the threads that print. */
export const MOST_CARDS = 100;

/**
 * Cards for sites, one A4 page each, for whoever plugs the boxes in. Each gets an address of its own where
 * its progress is told. Whoever may bind for the customers may.
 */
export async function printCards(
	siteIds: readonly string[],
	actor: Actor,
	now: number
): Promise<Act<Uint8Array>> {
	if (siteIds.length === 0) return refuse('Choose at least one site.');
	if (siteIds.length > MOST_CARDS) return refuse(`At most ${MOST_CARDS} cards at once.`);
	const sites = await cardSites(siteIds);
	if (sites.length < new Set(siteIds).size) return refuse('There is no such site any more.');
	const barred = sites.find(({ customerId }) => !actor.may('bind', customerId));
	if (barred) return refuse(`You may not make cards for ${barred.customerName}.`);
	const links = await database().transaction(async (trx) => {
		const made = await makeLinks(trx, sites, actor, now);
		await enterInLedger(
			trx,
			actor,
			sites.map(({ id, name, customerId }) => ({
				act: 'make site card',
				customerId,
				subjectKind: 'site' as const,
				subjectId: id,
				words: `A card for ${name} was made; its address is good for a while.`
			}))
		);
		return made;
	});
	const cabling = await cablingOf(siteIds);
	const pages = sites.map((site, index) => page(site, cabling.get(site.id)!, links[index]!, index > 0));
	return done(
		await printed({
			name: `Cards for ${sites.length === 1 ? sites[0]!.name : `${sites.length} sites`}`,
			content: pages
		})
	);
}

async function cardSites(siteIds: readonly string[]): Promise<readonly CardSite[]> {
	const { rows } = await database().raw(
		`select site.id, site.name, street, locality, time_zone as "timeZone", uplink, appointment_at as "appointmentAt",
			customer.id as "customerId", customer.name as "customerName",
			coalesce((
				select jsonb_agg(jsonb_build_object('id', position.id, 'name', position.name, 'roleId', role.id, 'roleName', role.name, 'serial', unit.serial,
					'model', case when model.id is not null then jsonb_build_object('name', model.name, 'ports', model.ports, 'lights', model.lights) end))
				from position join role on role.id = position.role_id left join binding on binding.position_id = position.id
				left join unit on unit.id = binding.unit_id left join model on model.id = unit.model_id where position.site_id = site.id
			), '[]') as positions
		from site join customer on customer.id = site.customer_id where site.id = any (?::uuid[]) order by customer.name, site.name`,
		[[...siteIds]]
	);
	return rows;
}

const rule = (width = 511): Content => ({
	canvas: [{ type: 'line', x1: 0, y1: 0, x2: width, y2: 0, lineWidth: 0.7, lineColor: PAPER.hairline }],
	margin: [0, 8, 0, 8]
});
const heading = (words: string): Content => ({
	text: inFonts(words),
	bold: true,
	fontSize: 13,
	margin: [0, 2, 0, 3]
});

function page(site: CardSite, { cables }: Cabling, { token, endsAt }: NewLink, isNext: boolean): Content {
	const card = siteCard(site.uplink, site.positions, cables);
	const address = `${publicUrl(currentSettings())}/progress/${token}`;
	const { LIMEN_FIRM: firm } = currentSettings();
	const at = (date: Date, day: 'long' | 'short') =>
		date.toLocaleString('en-NZ', {
			timeZone: site.timeZone,
			...(day === 'long' ? { weekday: 'long', hour: 'numeric', minute: '2-digit' } : { year: 'numeric' }),
			day: 'numeric',
			month: 'long'
		});
	return {
		stack: [
			{
				columns: [
					{
						width: '*',
						stack: [
							{ text: inFonts(site.customerName), fontSize: 12, color: PAPER.quiet },
							{ text: inFonts(site.name), bold: true, fontSize: 24, margin: [0, 0, 0, 2] },
							{ text: inFonts([site.street, site.locality].filter(Boolean).join(', ')) },
							...(site.appointmentAt
								? [{ text: inFonts(`Planned for ${at(site.appointmentAt, 'long')}`) }]
								: []),
							{
								text: 'New network equipment: please plug it in as below. It sets itself up.',
								fontSize: 13,
								margin: [0, 10, 12, 0] as [number, number, number, number]
							}
						]
					},
					{
						width: 118,
						stack: [
							{ qr: address, fit: 104, foreground: PAPER.ink },
							{ text: 'Follow its progress', fontSize: 10, bold: true, margin: [0, 4, 0, 0] }
						]
					}
				]
			},
			rule(),
			...card.boxes.flatMap((box, index) => [boxOn(box, index + 1), rule()]),
			...(card.boxes.length === 0 ? [{ text: 'No box is planned here yet.' }, rule()] : []),
			heading('Then wait'),
			{
				text: `It takes up to ${card.minutes} minutes. It turns itself off and on again, once or more: leave it plugged in until its light says that it works.`
			},
			...lightsOn(card),
			heading('If it does not work'),
			{ text: inFonts(`${helpWords()} Say: ${site.name}.`) },
			{
				text: inFonts(`${firm ? `From ${firm}. ` : ''}${address}  until ${at(endsAt, 'short')}`),
				fontSize: 8.5,
				color: PAPER.quiet,
				margin: [0, 14, 0, 0]
			}
		],
		...(isNext && { pageBreak: 'before' as const })
	};
}

function boxOn(
	{ title, positions, steps, model, uplinkPort, portWords }: SiteCard['boxes'][0],
	number: number
): Content {
	const many = positions.length > 1;
	return {
		columns: [
			{
				width: 200,
				stack: model
					? [
							{
								svg: portPictureSvg(portPicture(model.ports, portWords), {
									ink: PAPER.ink,
									mark: PAPER.marigold,
									font: 'Text'
								}),
								fit: [190, 96] as [number, number]
							},
							{
								text: `${model.name}, from behind${uplinkPort ? `. The thick frame is ${uplinkPort}.` : ''}`,
								fontSize: 9,
								color: PAPER.quiet
							}
						]
					: [
							{
								text: 'Its picture is here once we know which box it is.',
								color: PAPER.quiet,
								margin: [0, 10, 20, 0]
							}
						]
			},
			{
				width: '*',
				stack: [
					{
						text: inFonts(`${number}  ${title}${many ? `s, ${positions.length}` : ''}`),
						bold: true,
						fontSize: 14
					},
					{
						text: positions.flatMap(({ name, serial }, index) => [
							...(index > 0 ? [{ text: ',  ' }] : []),
							...inFonts(name),
							...(serial ? [{ text: ` ${groupSerial(serial)}`, font: 'Mono', fontSize: 9.5 }] : [])
						]),
						color: PAPER.quiet,
						margin: [0, 0, 0, 4]
					},
					{
						ol: steps.map((step) => ({
							text: inFonts(step),
							margin: [0, 1, 0, 1] as [number, number, number, number]
						}))
					}
				]
			}
		],
		columnGap: 14
	};
}

const lightsOn = ({ lights }: SiteCard): Content[] =>
	lights.length === 0
		? []
		: [
				{
					margin: [0, 8, 0, 8],
					columns: lights.slice(0, 2).map(({ modelName, lights: shown }) => ({
						width: '*',
						stack: [
							{ text: inFonts(`Lights of ${modelName}`), bold: true, fontSize: 10 },
							...shown.map(({ shows, means }) => ({
								text: [...inFonts(`${shows}: `).map((run) => ({ ...run, bold: true })), ...inFonts(means)],
								fontSize: 9.5,
								margin: [0, 1, 8, 0] as [number, number, number, number]
							}))
						]
					}))
				}
			];

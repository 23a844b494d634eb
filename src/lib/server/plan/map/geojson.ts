import * as v from 'valibot';
import { FACT_HEADINGS, FACT_NAMES, writeFact, writeLocalTime } from '../../../../core/plan';
import { decodeText, type CellReading } from '../../list-file';
import type { SiteAndPattern } from '../sites/standing-sites';

/** Sites as GeoJSON (RFC 7946), out and in: a point for each, its facts as properties under their headings. */
export const sitesAsGeoJson = (sites: readonly SiteAndPattern[]) => ({
	type: 'FeatureCollection' as const,
	features: sites.map(({ id, facts, appointmentAt }) => ({
		type: 'Feature' as const,
		id,
		geometry:
			facts.latitude === null || facts.longitude === null
				? null
				: { type: 'Point' as const, coordinates: [facts.longitude, facts.latitude] },
		properties: Object.fromEntries([
			...FACT_NAMES.flatMap((name) =>
				name === 'latitude' || name === 'longitude' ? [] : [[FACT_HEADINGS[name], writeFact(facts[name])]]
			),
			['appointment', appointmentAt === null ? '' : writeLocalTime(appointmentAt, facts.timeZone)]
		]) as Record<string, string>
	}))
});

const pointSchema = v.object({
	type: v.literal('Point'),
	coordinates: v.pipe(v.array(v.number()), v.minLength(2))
});
const collectionSchema = v.object({
	type: v.literal('FeatureCollection'),
	features: v.pipe(
		v.array(
			v.object({
				type: v.literal('Feature'),
				geometry: v.nullable(pointSchema),
				properties: v.nullable(v.record(v.string(), v.unknown()))
			})
		),
		v.maxLength(5000, 'A list has 5,000 sites at most.')
	)
});

export const looksLikeGeoJson = (content: Uint8Array): boolean => /^\uFEFF?\s*\{/.test(textStart(content));
const textStart = (content: Uint8Array) => new TextDecoder().decode(content.subarray(0, 64));

/** The sites of a GeoJSON file as the cells of a list. Properties that hold more than one word or number are left out. */
export function cellsOfGeoJson(content: Uint8Array): CellReading {
	const decoded = decodeText(content);
	if (!decoded.ok) return decoded;
	let json: unknown;
	try {
		json = JSON.parse(decoded.text.replace(/^\uFEFF/, ''));
	} catch {
		return { ok: false, problem: 'This file begins like GeoJSON and cannot be read as JSON.' };
	}
	const parsed = v.safeParse(collectionSchema, json);
	if (!parsed.success)
		return {
			ok: false,
			problem: 'This is no GeoJSON feature collection of points: a site is a Feature with a Point.'
		};
	const { features } = parsed.output;
	const plain = (value: unknown) =>
		typeof value === 'string' || typeof value === 'number' || typeof value === 'boolean' ? String(value) : '';
	const names = [...new Set(features.flatMap(({ properties }) => Object.keys(properties ?? {})))].filter(
		(name) => !['latitude', 'longitude'].includes(name)
	);
	// Elsewhere a site is called by its name; here the column is “site”
	const headings = names.map((name) => (name === 'name' && !names.includes('site') ? 'site' : name));
	return {
		ok: true,
		remark: decoded.remark,
		cells: [
			[...headings, 'latitude', 'longitude'],
			...features.map(({ geometry, properties }) => [
				...names.map((name) => plain(properties?.[name])),
				// RFC 7946 section 3.1.1: longitude first
				geometry ? String(geometry.coordinates[1]) : '',
				geometry ? String(geometry.coordinates[0]) : ''
			])
		]
	};
}

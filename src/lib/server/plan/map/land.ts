import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { geoContains, polygonArea } from 'd3';
import type { FeatureCollection, MultiPolygon, Polygon, Position } from 'geojson';
import { feature } from 'topojson-client';
import type { GeometryCollection, Topology } from 'topojson-specification';

/** Land, from Natural Earth at 1:10 million (world-atlas): what a map of sites is drawn on. */
interface Piece {
	readonly west: number;
	readonly south: number;
	readonly east: number;
	readonly north: number;
	readonly rings: Position[][];
}
let pieces: readonly Piece[] | undefined;

function land(): readonly Piece[] {
	if (pieces) return pieces;
	const file = createRequire(import.meta.url).resolve('world-atlas/land-10m.json');
	const topology = JSON.parse(readFileSync(file, 'utf8')) as Topology<{ land: GeometryCollection }>;
	const whole = feature(topology, topology.objects.land) as FeatureCollection<MultiPolygon | Polygon>;
	pieces = whole.features.flatMap(({ geometry }) =>
		(geometry.type === 'Polygon' ? [geometry.coordinates] : geometry.coordinates)
			// Slivers that the source was cut to: nobody sees them, and one is wound around the whole globe
			.filter(([ring]) => Math.abs(polygonArea(ring as [number, number][])) > SMALLEST_AREA)
			.map(pieceOf)
	);
	return pieces;
}

/** In square degrees. */
const SMALLEST_AREA = 1e-7;

/** The source cuts its rings at the date line, so that their bounds are those of their numbers. */
function pieceOf(rings: Position[][]): Piece {
	const piece = { west: 180, south: 90, east: -180, north: -90, rings };
	for (const [x, y] of rings[0]!) {
		if (x! < piece.west) piece.west = x!;
		if (x! > piece.east) piece.east = x!;
		if (y! < piece.south) piece.south = y!;
		if (y! > piece.north) piece.north = y!;
	}
	return piece;
}

/** Two spans of longitude share something; a span can cross the date line, and is then written backwards. */
const meets = (west: number, east: number, otherWest: number, otherEast: number): boolean => {
	const spans = (from: number, to: number) =>
		from <= to ? [[from, to] as const] : [[from, 180] as const, [-180, to] as const];
	return spans(west, east).some(([a, b]) => spans(otherWest, otherEast).some(([c, d]) => a <= d && c <= b));
};

/** Land within some degrees of a place, whole islands and continents at a time, as GeoJSON (RFC 7946). */
export function landAround(latitude: number, longitude: number, degrees: number): Polygon[] {
	const wrap = (angle: number) => ((((angle + 180) % 360) + 360) % 360) - 180;
	const [west, east] = [wrap(longitude - degrees), wrap(longitude + degrees)];
	const inside = ([x, y]: Position) =>
		Math.abs(y! - latitude) <= degrees && Math.abs(wrap(x! - longitude)) <= degrees;
	return land()
		.filter(
			(piece) =>
				piece.south <= latitude + degrees &&
				piece.north >= latitude - degrees &&
				meets(west, east, piece.west, piece.east) &&
				// The box around a continent says little
				(piece.rings[0]!.some(inside) ||
					geoContains({ type: 'Polygon', coordinates: piece.rings }, [longitude, latitude]))
		)
		.map(({ rings }) => ({ type: 'Polygon', coordinates: rings }));
}

import { timeNow } from '$lib/server/database';
import { error } from '@sveltejs/kit';
import { FIGURE_NAMES, spanIn, type Series } from '$core/health';
import { seriesOf } from '$lib/server/health';
import { unitById } from '$lib/server/intake';
import { listFile } from '$lib/server/list-response';
import { demand } from '$lib/server/people';
import type { RequestHandler } from './$types';

const HEADINGS = ['Time (UTC)', 'Figure', 'Least', 'Mean', 'Most', 'Share known'];

/** The figures of a unit over a span, a line for each and each stretch. */
export const GET: RequestHandler = async ({ params, url, locals }) => {
	const unit = await unitById(params.id);
	if (!unit) error(404, 'There is no such unit.');
	demand(locals, 'see', unit.customerId);
	const asked = (name: string) => url.searchParams.get(name);
	const span = spanIn({ span: asked('span'), from: asked('from'), to: asked('to') }, timeNow());
	const { series } = await seriesOf([unit.id], span, FIGURE_NAMES);
	return listFile(`health-${unit.serial}`, [HEADINGS, ...series.flatMap(lines)], asked('as') === 'xlsx');
};

const lines = ({ key, points }: Series): string[][] =>
	points.map(({ at, min, mean, max, known }) => [
		new Date(at).toISOString(),
		key,
		...[min, mean, max, known].map(String)
	]);

/** A drawing of a box from behind: plain shapes in a box 0 0 width height, for a page or for paper. */
export interface PortPicture {
	readonly width: number;
	readonly height: number;
	readonly box: { readonly x: number; readonly y: number; readonly width: number; readonly height: number };
	readonly ports: readonly {
		readonly name: string;
		readonly x: number;
		readonly y: number;
		readonly size: number;
		/** The cable from outside goes here. */
		readonly isUplink: boolean;
		/** What goes in, in words; empty when nothing has to. */
		readonly words: string;
	}[];
}

const PORT = 26;
const GAP = 62;
const SIDE = 36;
const ABOVE = 30;
const BOX = 62;
const BELOW = 22;

/** More would be too small to read: then only those are drawn into which something goes. */
const MOST_PORTS = 8;
const byNumber = new Intl.Collator('en', { numeric: true });

/**
 * Draws a model's ports, the uplink first and the others by their printed names; `words` says what goes into
 * a port of a role, and stands above it. Of a box with many ports those are drawn into which something goes.
 * Laws: one port for each; nothing is drawn outside the picture; ports do not overlap.
 */
export function portPicture(
	ports: Readonly<Record<string, string>>,
	words: Readonly<Record<string, string>> = {}
): PortPicture {
	const all = Object.entries(ports).sort(
		([role, name], [otherRole, otherName]) =>
			Number(otherRole === 'uplink') - Number(role === 'uplink') || byNumber.compare(name, otherName)
	);
	const used = all.filter(([role]) => Object.hasOwn(words, role));
	const entries = all.length <= MOST_PORTS || used.length === 0 ? all : used;
	const inner = Math.max(1, entries.length) * GAP;
	return {
		width: inner + 2 * SIDE,
		height: ABOVE + BOX + BELOW,
		box: { x: SIDE / 2, y: ABOVE, width: inner + SIDE, height: BOX },
		ports: entries.map(([role, name], index) => ({
			name,
			x: SIDE + index * GAP + (GAP - PORT) / 2,
			y: ABOVE + 10,
			size: PORT,
			isUplink: role === 'uplink',
			words: (Object.hasOwn(words, role) && words[role]) || ''
		}))
	};
}

const escaped = (text: string): string =>
	text.replace(/[<>&"]/g, (character) => `&#${character.charCodeAt(0)};`);

/** The same as SVG, in the colours that are given. */
export function portPictureSvg(
	{ width, height, box, ports }: PortPicture,
	{ ink, mark, font }: { readonly ink: string; readonly mark: string; readonly font: string }
): string {
	const text = (x: number, y: number, words: string, fill: string, size: number) =>
		`<text x="${x}" y="${y}" font-family="${font}" font-size="${size}" fill="${fill}" text-anchor="middle">${escaped(words)}</text>`;
	return `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 ${width} ${height}" width="${width}" height="${height}">
<rect x="${box.x}" y="${box.y}" width="${box.width}" height="${box.height}" rx="6" fill="none" stroke="${ink}" stroke-width="1.6"/>
${ports
	.map(({ name, x, y, size, isUplink, words }) => {
		const middle = x + size / 2;
		const colour = isUplink ? mark : ink;
		return [
			`<rect x="${x}" y="${y}" width="${size}" height="${size}" rx="2" fill="none" stroke="${colour}" stroke-width="${isUplink ? 3 : 1.4}"/>`,
			`<path d="M${x + 7} ${y + size}v-6h${size - 14}v6" fill="none" stroke="${colour}" stroke-width="1.2"/>`,
			text(middle, y + size + 16, name, ink, 12),
			isUplink
				? `<path d="M${middle} 13v11m-4-4l4 5 4-5" fill="none" stroke="${mark}" stroke-width="1.8"/>`
				: '',
			text(middle, 9, words, colour, 9)
		].join('');
	})
	.join('\n')}
</svg>`;
}

/** What of a drawing’s look comes from style sheets, and has to go with it when it leaves the page. */
const LOOK = [
	'fill',
	'stroke',
	'stroke-width',
	'stroke-dasharray',
	'opacity',
	'font-family',
	'font-size',
	'font-weight',
	'text-anchor',
	'paint-order',
	'display'
] as const;

/** A drawing of the page as a document of its own (SVG 1.1), looking as it does now. Its view box is the whole of what `frame` says. */
export function svgFileOf(
	drawing: SVGSVGElement,
	frame: { readonly x: number; readonly y: number; readonly width: number; readonly height: number }
): string {
	const copy = drawing.cloneNode(true) as SVGSVGElement;
	const originals = drawing.querySelectorAll<SVGElement>('*');
	for (const [index, element] of copy.querySelectorAll<SVGElement>('*').entries()) {
		const style = getComputedStyle(originals[index]!);
		element.setAttribute('style', LOOK.map((name) => `${name}:${style.getPropertyValue(name)}`).join(';'));
		for (const name of ['class', 'tabindex', 'role', ...LOOK]) element.removeAttribute(name);
	}
	// How it is moved and drawn nearer on the page is the page's own matter
	copy.querySelector('[data-moved]')?.removeAttribute('transform');
	copy.setAttribute('xmlns', 'http://www.w3.org/2000/svg');
	copy.setAttribute('viewBox', `${frame.x} ${frame.y} ${frame.width} ${frame.height}`);
	copy.setAttribute('width', String(frame.width));
	copy.setAttribute('height', String(frame.height));
	copy.removeAttribute('class');
	copy.setAttribute('style', `background:${getComputedStyle(drawing).getPropertyValue('--paper')}`);
	return new XMLSerializer().serializeToString(copy);
}

/** No browser draws a larger picture. In points of it. */
const MOST_POINTS = 8_000;

/** The same as a picture (PNG), twice as fine as on the page where that is not too large. Rejects when the browser cannot draw it. */
export async function pngOf(
	svg: string,
	size: { readonly width: number; readonly height: number }
): Promise<Blob> {
	const scale = Math.min(2, MOST_POINTS / Math.max(size.width, size.height));
	const image = new Image();
	image.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(svg)}`;
	await image.decode();
	const canvas = document.createElement('canvas');
	canvas.width = Math.ceil(size.width * scale);
	canvas.height = Math.ceil(size.height * scale);
	canvas.getContext('2d')!.drawImage(image, 0, 0, canvas.width, canvas.height);
	return new Promise((resolve, reject) =>
		canvas.toBlob(
			(blob) => (blob ? resolve(blob) : reject(new Error('The picture could not be made.'))),
			'image/png'
		)
	);
}

/** Gives a file to whoever looks at the page. */
export function saveFile(name: string, content: Blob): void {
	const link = document.createElement('a');
	link.href = URL.createObjectURL(content);
	link.download = name;
	link.click();
	URL.revokeObjectURL(link.href);
}

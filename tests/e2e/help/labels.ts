import type { Page } from '@playwright/test';
import bwipjs from 'bwip-js/node';

/** Photos of labels, made up: codes drawn on paper, then turned, blurred and darkened as hands and back rooms do. */
export interface LabelText {
	readonly serial: string;
	readonly mac: string;
	readonly claimCode: string;
}
export const CODE_KINDS = ['code128', 'qrcode', 'datamatrix'] as const;
export type CodeKind = (typeof CODE_KINDS)[number];

const codesOf = (kind: CodeKind, { serial, mac, claimCode }: LabelText): readonly string[] =>
	kind === 'code128'
		? [serial, mac.replaceAll(':', ''), claimCode]
		: [`SN:${serial};MAC:${mac};CC:${claimCode}`];

/** The codes of a label as pictures, one below the other. */
export const drawCodes = (kind: CodeKind, text: LabelText): Promise<Buffer[]> =>
	Promise.all(
		codesOf(kind, text).map((code) =>
			bwipjs.toBuffer({
				bcid: kind,
				text: code,
				scale: 4,
				...(kind === 'code128' ? { height: 12, includetext: true } : {}),
				paddingwidth: 8,
				paddingheight: 8,
				backgroundcolor: 'FFFFFF'
			})
		)
	);

export interface Taken {
	readonly turned?: number;
	readonly blurred?: number;
	/** 1 is as bright as it was. */
	readonly brightness?: number;
	/** The photo's size in pixels. */
	readonly width?: number;
	readonly height?: number;
}

/** A photo of the codes on a table, as JPEG. */
export async function photograph(page: Page, codes: readonly Buffer[], taken: Taken): Promise<Buffer> {
	const base64 = await page.evaluate(
		async ({ pictures, turned = 0, blurred = 0, brightness = 1, width = 1600, height = 1200 }) => {
			const images = await Promise.all(
				pictures.map(async (picture) => {
					const octets = Uint8Array.from(atob(picture), (character) => character.charCodeAt(0));
					return createImageBitmap(new Blob([octets], { type: 'image/png' }));
				})
			);
			const canvas = new OffscreenCanvas(width, height);
			const context = canvas.getContext('2d')!;
			context.fillStyle = '#8f7a63';
			context.fillRect(0, 0, width, height);
			const gap = 24;
			const tall = images.reduce((sum, image) => sum + image.height + gap, gap);
			const wide = Math.max(...images.map((image) => image.width)) + 2 * gap;
			const scale = Math.min((width * 0.62) / wide, (height * 0.62) / tall);
			context.filter = `blur(${blurred}px) brightness(${brightness})`;
			context.translate(width / 2, height / 2);
			context.rotate((turned * Math.PI) / 180);
			context.scale(scale, scale);
			context.fillStyle = '#f4f1ea';
			context.fillRect(-wide / 2, -tall / 2, wide, tall);
			let y = gap - tall / 2;
			for (const image of images) {
				context.drawImage(image, -image.width / 2, y);
				y += image.height + gap;
			}
			const jpeg = new Uint8Array(
				await (await canvas.convertToBlob({ type: 'image/jpeg', quality: 0.85 })).arrayBuffer()
			);
			let text = '';
			for (const octet of jpeg) text += String.fromCharCode(octet);
			return btoa(text);
		},
		{ pictures: codes.map((code) => code.toString('base64')), ...taken }
	);
	return Buffer.from(base64, 'base64');
}

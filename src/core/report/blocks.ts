import type { CablingPicture } from '../proof';
import type { PictureKind } from './picture';

/**
 * What documents are made of: handovers now, and every report. A block is data; how it looks on paper is decided in one
 * place, for all of them.
 */
export type Block =
	| {
			readonly kind: 'facts';
			readonly title: string;
			readonly facts: readonly { readonly name: string; readonly value: string }[];
	  }
	| {
			readonly kind: 'table';
			readonly title: string;
			readonly columns: readonly string[];
			readonly rows: readonly (readonly string[])[];
			/** Said where there is no row. */
			readonly otherwise: string;
			/** Columns with serial numbers, addresses and the like. */
			readonly mono?: readonly number[];
			/** Columns that hold numbers, to be reckoned with in a workbook. */
			readonly figures?: readonly number[];
			/** How many rows there are beside these. */
			readonly more?: number;
			/** And how many columns. */
			readonly moreColumns?: number;
	  }
	| { readonly kind: 'text'; readonly title: string; readonly lines: readonly string[] }
	| {
			readonly kind: 'drawing';
			readonly title: string;
			readonly svg: string;
			/** In points. */
			readonly width: number;
	  }
	| { readonly kind: 'cabling'; readonly title: string; readonly picture: CablingPicture }
	| {
			readonly kind: 'images';
			readonly title: string;
			/** JPEG, base64. */
			readonly images: readonly {
				readonly data: string;
				readonly words: string;
			}[];
	  };

/** How a customer's papers look. */
export interface PaperLook {
	/** Of a line under the title: `#17665f`. */
	readonly colour: string | null;
	/** PNG or JPEG, base64. */
	readonly logo: { readonly kind: PictureKind; readonly data: string } | null;
}

export interface ReportDocument {
	/** Whose it is, large: never ours first. */
	readonly customer: string;
	readonly look?: PaperLook;
	readonly title: string;
	readonly subtitle: string;
	/** At the foot of each page. */
	readonly foot: string;
	readonly blocks: readonly Block[];
}

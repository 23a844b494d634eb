import type { Program, SignedIn } from '$lib/server/people';

declare global {
	namespace App {
		interface Error {
			message: string;
		}
		interface Locals {
			/** Names this request in the log and in its answer. */
			requestId: string;
			person: SignedIn | null;
			program: Program | null;
			/** The customer whose things are shown; null for all that the person sees. */
			customerId: string | null;
		}
	}
}
export {};

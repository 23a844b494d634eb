import type { IncomingMessage } from 'node:http';
import type { KeyedRequest } from '$lib/server/ledger';
import type { Program, SignedIn } from '$lib/server/people';
import type { Failure } from '$lib/server/refusal';

declare global {
	namespace App {
		interface Error {
			message: string;
		}
		/** What adapter-node gives; nothing in development. */
		interface Platform {
			req: IncomingMessage;
		}
		interface Locals {
			/** Names this request in the log and in its answer. */
			requestId: string;
			person: SignedIn | null;
			program: Program | null;
			/** The customer whose things are shown; null for all that the person sees. */
			customerId: string | null;
			/** The key under which this request is worked once. */
			keyed?: KeyedRequest;
			/** Why this request failed inside, if it is none of the application’s own faults. */
			failed?: Failure;
		}
	}
}
export {};

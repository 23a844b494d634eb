declare global {
	namespace App {
		interface Error {
			message: string;
		}
		interface Locals {
			/** The customer whose things are shown; null for all. */
			customerId: string | null;
		}
	}
}
export {};

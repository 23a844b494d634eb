import type { Actor } from '../ledger';

/**
 * Who acts. Until people sign in, everybody at this installation is the operator, known by address only;
 * the application listens on loopback for that reason.
 */
export const actorOf = (event: { getClientAddress: () => string }): Actor => ({
	name: 'Operator',
	address: event.getClientAddress()
});

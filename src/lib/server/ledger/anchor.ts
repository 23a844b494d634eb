import { database, runAs, SIGN_IN, timeNow } from '../database';
import { log } from '../log';
import { post } from '../mail';
import { currentSettings } from '../settings';
import { writeHead } from './head';

/**
 * Once a day, by whichever process is first, the ledger's signed head leaves: into the log, and by letter. Signs where
 * the chain stands now, unless that was done today; returns the signed head when it was done.
 */
export const anchorToday = (): Promise<string | null> =>
	runAs(SIGN_IN, () =>
		database().transaction(async (trx) => {
			const { rows } = await trx.raw('select id, hash from limen_ledger_head()');
			const entry = Number(rows[0].id);
			const head = writeHead({
				entry,
				hash: rows[0].hash.toString('hex'),
				at: new Date(timeNow()).toISOString()
			});
			const made = await trx('ledger_anchor')
				.insert({ day: trx.raw('current_date'), entry, head })
				.onConflict('day')
				.ignore()
				.returning('day');
			if (made.length === 0) return null;
			const { LIMEN_LEDGER_MAIL } = currentSettings();
			if (LIMEN_LEDGER_MAIL)
				await post(trx, {
					to: LIMEN_LEDGER_MAIL,
					subject: 'Where Limen’s records stand today',
					text: `Keep this letter. With it anybody can prove later that none of the ${entry} records of until now was changed or removed:\n\n\t./limen verify-ledger --from LETTER\n\n${head}\n`
				});
			// A proof, not news: it is written however quiet the log is to be
			log.child({}, { level: 'info' }).info({ head }, 'ledger head');
			return head;
		})
	);

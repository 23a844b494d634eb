import type { Knex } from 'knex';

/** What each table holds, by the room of the server that writes it: `docs/schema.md` is drawn from this. */
const TABLES: Readonly<Record<string, Readonly<Record<string, string>>>> = {
	alerts: {
		alert: 'Something that a person should know, from its beginning to its end, gathered by its cause.',
		alert_note: 'What people wrote to an alert.',
		alert_rule: 'When an alert begins, for how long and for whom, as a customer states it.'
	},
	api: {
		idempotency: 'What a request with a key was answered, so that the same request is worked once.',
		rate_limit: 'How much a token or an address has asked for lately.'
	},
	archive: {
		archive_version:
			'What a unit ran, version by version, secrets sealed, each compressed against the one before.',
		archive_words: 'The words of what units run now, to search in.',
		upkeep_rule:
			'How often a customer’s units are read, how long that is kept, and how much is put back an hour.'
	},
	binding: {
		binding: 'Which unit stands at which position; one for each at most.',
		binding_proposal: 'A binding that a rule would make, and that waits for a person.',
		binding_rule: 'Where units of a model or of a supplier’s list go.'
	},
	cohorts: {
		cohort: 'A choice of units by a rule, under a name.',
		cohort_size: 'How many units a cohort had, day by day.'
	},
	connections: {
		absence: 'From when to when a unit was not connected, and whether that was planned.',
		address_key: 'The host key that was seen first at an address and port.',
		dialogue: 'Every word that was said to a unit and answered, secrets masked.',
		errand: 'Something that is done at a unit once it can be: one at a time for each unit.',
		errand_move: 'From which state an errand may come to which.',
		reading: 'What was read from a unit, referred to by its dialogue.',
		unit_connection: 'A connection that a unit has, or had, to a process of Limen.',
		unit_reach: 'At which address a unit is dialled, and with which login.',
		way_in: 'A jump host or proxy by which addresses of a customer are reached.'
	},
	connectors: {
		connector: 'A source outside from which sites, positions or units are read.',
		connector_record: 'What a source said of a thing when it was last taken over.',
		connector_row: 'What taking a reading over would do, record by record.',
		connector_run: 'One reading of a source, and what came of it.'
	},
	database: {
		installation: 'One row: what this installation is, and which keys belong to it.',
		knex_migrations: 'Which migrations have run.',
		knex_migrations_lock: 'Held while migrations run.'
	},
	day: {
		day_entry: 'What a technician did on site, as their phone sent it, also later.'
	},
	devices: {
		certificate_demand: 'That units of a maker have to show a certificate for a customer.',
		revocation_list: 'A maker’s list of certificates that count no more.',
		revoked_certificate: 'A certificate that counts no more.'
	},
	door: {
		caller: 'Who calls and is not let in, and why.'
	},
	drift: {
		behind_on_day: 'How many units a profile had behind, day by day.',
		drift_look: 'What one comparison of what runs with what is intended found.',
		finding: 'A difference between what a unit runs and what is intended, since when and by whom.',
		finding_group: 'The same finding at many units, and what was decided about all of them.',
		intention: 'What a unit was meant to run, from when on.',
		unit_drift: 'How a unit stands against what is intended, by its last comparison.',
		unit_due: 'What a unit would be sent now, and whether it is behind.'
	},
	events: {
		event: 'What units and Limen itself told, one row an event (RFC 5424); partitioned by time.',
		unit_name: 'The names by which a unit’s events are known.'
	},
	firmware: {
		firmware_target: 'Which version a customer, site or unit shall run of a firmware line.',
		image: 'A firmware image, with its hash and signature; the file lies beside the database.'
	},
	handover: {
		handover: 'That a site was handed over: the sealed record, its files and its signatures.'
	},
	health: {
		health_day: 'A unit’s figures, one row a day.',
		health_gathered: 'How far finer figures have been gathered into coarser ones.',
		health_hour: 'A unit’s figures, one row an hour; partitioned by time.',
		health_reading: 'A unit’s figures as they were read, every few minutes; partitioned by time.',
		unit_fact: 'What a unit said of itself, from when to when.'
	},
	intake: {
		batch: 'One list of units that was taken in.',
		batch_row: 'A row of a list that became no unit, and why; what was typed is kept until it is mended.',
		claim_request: 'A unit that its maker’s registry is yet to be asked for.',
		registry_state: 'How a maker’s registry fares: when it is asked again, and what it said last.',
		supplier_layout: 'Which column means what in the lists of a supplier.',
		unit: 'A unit that a customer owns, by its serial number.'
	},
	jobs: {
		long_work: 'An act over many things: who began it, and how far it is.',
		long_work_item: 'One thing of long work, and what came of it.',
		process: 'A process of Limen, with its heartbeat.'
	},
	ledger: {
		ledger_anchor: 'A head of the ledger that was written outside of it.',
		ledger_entry: 'Who did what to which thing, when and why; each entry names the hash of the one before.',
		ledger_head: 'One row: the newest entry’s number and hash.'
	},
	list: {
		saved_view: 'A list as somebody wants to find it again.'
	},
	logins: {
		login: 'A login that units of a customer may have, with the addresses that it is for.',
		login_try: 'That a login was tried at an address, and what came of it.'
	},
	mail: {
		mail: 'A letter that is to be sent, or was.'
	},
	packs: {
		grammar: 'How a dialect is written, as its pack says.',
		maker: 'A maker, and the version of its pack that is in use.',
		model: 'A model of a maker.',
		model_role: 'Which roles a model can serve as.',
		pack: 'A version of a maker’s pack, as it was loaded.',
		role: 'What a position is for: router, gateway, switch, access point.'
	},
	paper: {
		site_link: 'An address on a card, by which somebody without an account follows a site.'
	},
	people: {
		customer: 'A customer of the firm.',
		firm_group: 'What a group of the firm’s identity provider may do for which customer.',
		membership: 'Who has which duty for which customer.',
		person: 'A person, and how they come in.',
		personal_token: 'A token with which a program acts as a person.',
		recovery_code: 'A code that lets a person in once without their one-time codes.',
		service_token: 'A token of a program that acts for itself.',
		service_token_customer: 'For which customers a service token is.',
		session: 'That somebody is signed in.',
		ticket: 'A link that lets somebody choose a password.'
	},
	plan: {
		allotment: 'What of a pool is used, and by what.',
		cable: 'Which port of a position is planned to lead to which.',
		calendar: 'The address of somebody’s calendar of appointments.',
		pattern_cable: 'A cable of a site pattern.',
		pattern_position: 'A position of a site pattern.',
		pool: 'Addresses or numbers of a customer, to be allotted.',
		position: 'A place at a site that a unit is to stand at, with its profile and values.',
		site: 'A site of a customer, with its appointment and values.',
		site_pattern: 'What sites of a kind have in common; sites are stamped from it.',
		tunnel: 'A tunnel between two positions, with its secret.'
	},
	profile: {
		impact: 'What a draft of a profile would change, as it was computed for somebody.',
		part: 'A piece of configuration that profiles are made of.',
		part_revision: 'A part’s texts and fields; once released they never change.',
		profile: 'What positions of a kind are to run.',
		profile_part: 'Which parts a revision of a profile has, in which order.',
		profile_revision: 'A profile’s values, checks, scripts and files; once released they never change.'
	},
	proof: {
		site_check: 'One check of a proof: what was expected, and what was heard.',
		site_proof: 'That a site was proved, and whether it held.'
	},
	reachability: {
		path_change: 'That two positions began or ceased to reach each other.',
		reach_turn: 'When a position is asked next whom it reaches.',
		reachability: 'Whether one position reaches another, how, and since when.'
	},
	replacement: {
		replacement: 'The replacing of a model in a customer’s network.',
		replacement_day: 'How many went and came, day by day.',
		replacement_place: 'A place whose unit is to go, and which comes.'
	},
	reports: {
		customer_look: 'How a customer’s reports look.',
		report: 'A report that was made.',
		report_file: 'A report in one format.',
		report_schedule: 'Which report is made when, and who gets it.'
	},
	retirement: {
		destruction: 'That what was kept of a retired unit was destroyed.',
		retired_row: 'What is kept of a retired unit until its term ends.'
	},
	rollout: {
		rollout: 'The same act for many units: its waves, limits and stop rule.',
		rollout_item: 'One unit of a rollout, and what came of it.',
		rollout_secret: 'Which secrets a rollout renews at which unit.'
	},
	runs: {
		run: 'One onboarding of a unit at a position: its step, its outcome, and what it was given.',
		run_event: 'What happened in a run.',
		run_step: 'The steps of a run, in their order.',
		step_move: 'From which step a run may come to which.',
		step_time: 'How long a step of a run took.',
		unit_host_key: 'A host key that a unit reported.'
	},
	secrets: {
		rotation: 'The renewing of secrets at a unit, until they are proved.',
		rotation_end: 'A unit at which a renewed secret is tried.',
		rotation_move: 'From which state a renewing may come to which.',
		rotation_secret: 'Which secrets a renewing changes, sealed with what was before.',
		secret:
			'Where a secret is used, since when, and the one before as long as it is needed. Values are sealed.',
		secret_rule: 'After how many days secrets of a kind are due.',
		secret_seen: 'Who looked at a secret.'
	},
	send: {
		flash: 'A change of a unit’s firmware, step by step.',
		flash_move: 'From which state a change of firmware may come to which.',
		send: 'What was sent to a unit: the commands, its state, and its proof.',
		send_move: 'From which state a send may come to which.'
	},
	signing: {
		owner_key: 'The key that a customer’s vouchers and redirects are signed with.'
	},
	'small-change': {
		small_change: 'A small change for many positions that somebody is looking at.'
	},
	stance: {
		stance: 'What becomes of drift at a customer, site or unit: watched, or put back.'
	},
	survey: {
		survey: 'A network that is looked through, from where on and how far.',
		survey_address: 'An address of a survey, and who answered there.',
		survey_run: 'One going through a network.',
		survey_spot: 'Where somebody has put a thing in the drawing of a survey.',
		survey_station: 'Who is seen behind which port.'
	},
	takeon: {
		take_on: 'The taking on of a network that somebody else configured.',
		take_on_group: 'Configurations that are alike, and the profile that was learnt from them.',
		take_on_unit: 'A configuration that was brought, where it belongs, and what was learnt.'
	},
	trust: {
		voucher: 'A voucher for a unit (RFC 8366).'
	},
	wall: {
		wall_screen: 'A wall screen’s address, and what it shows.'
	},
	watch: {
		diagnosis: 'The questions about a unit that does not come, and what was answered.',
		failure_outcome: 'What was done about a failure of a kind, and whether the unit came through.',
		failure_signature: 'A kind of failure: the step and the words, without what is a unit’s own.',
		letter_evening: 'That somebody was told of a site’s appointment the evening before.',
		letter_wish: 'Which letters somebody wants.',
		site_readiness: 'What a site lacks before its appointment.',
		step_group: 'How long a step takes for units of a kind, as it was learnt.'
	},
	webhooks: {
		webhook: 'A program that is told of what happens.',
		webhook_delivery: 'What a program was told, or is yet to be.'
	},
	windows: {
		window_rule: 'When a customer’s, pattern’s or site’s units may be interrupted.'
	}
};

export async function up(knex: Knex): Promise<void> {
	for (const [room, tables] of Object.entries(TABLES))
		for (const [table, words] of Object.entries(tables))
			await knex.raw(`comment on table ${table} is '${room}: ${words}'`);
}

export async function down(knex: Knex): Promise<void> {
	for (const tables of Object.values(TABLES))
		for (const table of Object.keys(tables)) await knex.raw(`comment on table ${table} is null`);
}

import { createHmac } from 'node:crypto';
import { expect } from 'chai';
import { CloudEvent, HTTP } from 'cloudevents';
import fc from 'fast-check';
import {
	answered,
	CLOUD_EVENT,
	cloudEvent,
	GIVEN_UP_AFTER_MS,
	HAPPENINGS_IN_ORDER,
	pauseAfter,
	signatureBase,
	signatureParameters
} from '.';

describe('webhooks', () => {
	it('events are read by the reference reader of CloudEvents 1.0', () => {
		fc.assert(
			fc.property(
				fc.uuid(),
				fc.constantFrom(...HAPPENINGS_IN_ORDER),
				fc.date({ min: new Date(0), max: new Date('2200-01-01'), noInvalidDate: true }),
				fc.dictionary(
					fc.string({ maxLength: 8 }).filter((key) => key !== '__proto__' && key !== 'subject'),
					fc.jsonValue()
				),
				(id, kind, at, data) => {
					const body = cloudEvent(
						{ id, kind, at, data: { ...data, subject: `units/${id}` } },
						'https://limen.example'
					);
					const read = HTTP.toEvent({ headers: { 'content-type': CLOUD_EVENT }, body });
					expect(read).to.be.instanceOf(CloudEvent);
					const event = read as CloudEvent<Record<string, unknown>>;
					expect(event.validate()).to.equal(true);
					expect([event.id, event.type, event.source, event.subject]).to.deep.equal([
						id,
						`limen.${kind}`,
						'https://limen.example',
						`units/${id}`
					]);
					expect(new Date(event.time!).getTime()).to.equal(at.getTime());
					expect(event.data).to.deep.equal(JSON.parse(JSON.stringify({ ...data, subject: `units/${id}` })));
				}
			)
		);
	});

	it('the example of RFC 9421, B.2.5, is signed as it is there', () => {
		const covered = ['date', '@authority', 'content-type'];
		const parameters = signatureParameters(covered, { created: 1618884473, keyId: 'test-shared-secret' });
		const base = signatureBase(
			{
				method: 'POST',
				url: 'https://example.com/foo?param=Value&Pet=dog',
				headers: { date: 'Tue, 20 Apr 2021 02:07:55 GMT', 'content-type': 'application/json' }
			},
			covered,
			parameters
		);
		const secret = 'uzvJfB4u3N0Jy4T7NZ75MDVcr8zSTInedJtkgcu46YW4XByzNJjxBdtjUkdJPBtbmHhIDi6pcl8jsasjlTMtDQ==';
		expect(createHmac('sha256', Buffer.from(secret, 'base64')).update(base).digest('base64')).to.equal(
			'pxcQw6G3AjtMBQjwo8XzkZf/bws5LelbaMk5rGIGtE8='
		);
	});

	it('a header that is not there is not signed over', () => {
		expect(() =>
			signatureBase({ method: 'POST', url: 'https://a.example/', headers: {} }, ['digest'], '()')
		).to.throw(/has no “digest”/);
	});

	it('what an answer means', () => {
		expect([200, 201, 202, 204].map(answered)).to.deep.equal(['taken', 'taken', 'taken', 'taken']);
		expect(
			[301, 302, 307, 401, 403, 404, 408, 425, 429, 500, 503].every((status) => answered(status) === 'later')
		).to.equal(true);
		expect([400, 413, 415, 422].every((status) => answered(status) === 'refused')).to.equal(true);
		expect(answered(410)).to.equal('gone');
	});

	it('pauses grow, are never longer than an hour, and leave room for many tries before one is given up', () => {
		fc.assert(
			fc.property(fc.integer({ min: 1, max: 100_000 }), (failures) => {
				expect(pauseAfter(failures + 1))
					.to.be.at.least(pauseAfter(failures))
					.and.at.most(3_600_000);
			})
		);
		expect(pauseAfter(1)).to.equal(5_000);
		let [waited, tries] = [0, 0];
		while (waited < GIVEN_UP_AFTER_MS) waited += pauseAfter(++tries);
		expect(tries).to.be.greaterThan(70);
	});
});

import { execFileSync } from 'node:child_process';
import { expect } from 'chai';
import fc from 'fast-check';
import * as v from 'valibot';
import {
	CONVEYED_INFORMATION_JSON, decodeContentInfo, decodeConveyed, encodeContentInfo, encodeConveyed, fromBase64, onboardingInformation,
	getBootstrappingDataSchema, hexString, INPUT, ONBOARDING, PROGRESS_TYPES, readCredentials, REDIRECT, reportProgressSchema, tagOfIssue, toBase64
} from '.'; // prettier-ignore

describe('CMS', () => {
	it('decodes what it encoded', () => {
		fc.assert(
			fc.property(fc.uint8Array({ maxLength: 2000 }), (content) => {
				const reading = decodeContentInfo(encodeContentInfo(CONVEYED_INFORMATION_JSON, content));
				expect(reading).to.deep.equal({ ok: true, contentType: CONVEYED_INFORMATION_JSON, content });
			})
		);
	});

	it('is what openssl reads as a ContentInfo', () => {
		const der = encodeContentInfo(CONVEYED_INFORMATION_JSON, new TextEncoder().encode('{"a":1}'));
		const lines = execFileSync('openssl', ['asn1parse', '-inform', 'DER'], { input: der }).toString();
		expect(lines)
			.to.match(/SEQUENCE/)
			.and.match(/OBJECT\s+:(id-ct-sztpConveyedInfoJSON|1\.2\.840\.113549\.1\.9\.16\.1\.43)/);
		expect(lines)
			.to.match(/cont \[ 0 \]/)
			.and.match(/OCTET STRING\s+:\{"a":1\}/);
	});

	it('refuses everything else without throwing', () => {
		fc.assert(fc.property(fc.uint8Array(), (noise) => void decodeContentInfo(noise)));
		expect(decodeContentInfo(Uint8Array.of(0x18, 0)).ok).to.equal(false); // a time without a time
		const good = encodeContentInfo(CONVEYED_INFORMATION_JSON, new Uint8Array([1, 2]));
		expect(decodeContentInfo(new Uint8Array([...good, 0])).ok).to.equal(false);
		expect(decodeContentInfo(good.slice(0, -1)).ok).to.equal(false);
	});
});

describe('conveyed information', () => {
	it('carries image, configuration and scripts to the unit, in any language', () => {
		const text = 'hostname Ōtepoti-gw\n';
		const image = {
			osName: 'os',
			version: '2.1.0',
			uri: 'http://[::1]/images/a',
			sha256: hexString(new Uint8Array([1, 255]))
		};
		const reading = decodeConveyed(
			encodeConveyed(onboardingInformation({ image, configuration: text, preScript: 'a', postScript: null }))
		);
		if (!reading.ok || !(ONBOARDING in reading.information)) throw new Error('not read');
		const onboarding = reading.information[ONBOARDING];
		expect(fromBase64(onboarding.configuration!)).to.equal(text);
		expect(onboarding['boot-image']).to.deep.include({
			'os-version': '2.1.0',
			'download-uri': ['http://[::1]/images/a']
		});
		expect(onboarding['boot-image']!['image-verification']![0]!['hash-value']).to.equal('01:ff');
		expect(onboarding).to.not.have.property('post-configuration-script');
	});

	it('may redirect, but not do both or neither', () => {
		const redirect = { [REDIRECT]: { 'bootstrap-server': [{ address: 'b.example', port: 443 }] } };
		expect(decodeConveyed(encodeConveyed(redirect)).ok).to.equal(true);
		expect(decodeConveyed(encodeConveyed({ ...redirect, [ONBOARDING]: {} } as never)).ok).to.equal(false);
		expect(decodeConveyed(encodeConveyed({} as never)).ok).to.equal(false);
		expect(decodeConveyed('%%%').ok).to.equal(false);
		expect(decodeConveyed(toBase64('hello')).ok).to.equal(false);
	});
});

describe('messages', () => {
	const isAsking = (input: object) => v.is(getBootstrappingDataSchema, { [INPUT]: input });
	it('accept what the RFC allows', () => {
		expect(
			isAsking({ 'signed-data-preferred': [null], 'hw-model': 'x', nonce: btoa('0123456789abcdef') })
		).to.equal(true);
		for (const octets of [16, 32]) expect(isAsking({ nonce: btoa('n'.repeat(octets)) })).to.equal(true);
		for (const octets of [0, 15, 33]) expect(isAsking({ nonce: btoa('n'.repeat(octets)) })).to.equal(false);
		expect(v.is(getBootstrappingDataSchema, {})).to.equal(true);
		for (const type of PROGRESS_TYPES)
			expect(v.is(reportProgressSchema, { [INPUT]: { 'progress-type': type } })).to.equal(true);
		expect(PROGRESS_TYPES).to.have.lengthOf(27);
	});

	it('name the tag for what is wrong', () => {
		const tag = (input: unknown) => {
			const parsed = v.safeParse(reportProgressSchema, input);
			return parsed.success ? null : tagOfIssue(parsed.issues[0]);
		};
		expect(tag({ [INPUT]: {} })).to.equal('missing-element');
		expect(tag({ [INPUT]: { 'progress-type': 'config-complete', colour: 'red' } })).to.equal(
			'unknown-element'
		);
		expect(tag({ [INPUT]: { 'progress-type': 'dancing' } })).to.equal('invalid-value');
		expect(tag({ [INPUT]: { 'progress-type': 'config-complete', message: 5000 } })).to.equal('invalid-value');
		expect(tag([])).to.equal('missing-element');
		expect(tag(null)).to.be.oneOf(['invalid-value', 'unknown-element', 'missing-element']);
	});
});

describe('credentials', () => {
	const header = (text: string) => `Basic ${Buffer.from(text).toString('base64')}`;
	it('are a serial and a claim code, which may hold a colon', () => {
		expect(readCredentials(header('ABC:d:e'))).to.deep.equal({ serial: 'ABC', claimCode: 'd:e' });
	});
	it('are none when malformed or oversized', () => {
		for (const text of [
			null,
			'',
			'Bearer x',
			'Basic !!!',
			header(':x'),
			header('noColon'),
			header(`${'x'.repeat(65)}:y`),
			header('a\u0000b:c')
		])
			expect(readCredentials(text), String(text)).to.equal(null);
	});
});

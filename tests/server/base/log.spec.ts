import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { expect } from 'chai';

describe('the log', () => {
	it('keeps no process alive whose reader is gone', async () => {
		const child = spawn(process.execPath, ['--import', 'tsx', 'tests/server/base/log-at-end.ts'], {
			stdio: ['pipe', 'pipe', 'inherit']
		});
		try {
			const [said] = await once(child.stdout, 'data');
			expect(JSON.parse(String(said)).msg).to.equal('ready');
			child.stdout.destroy();
			await once(child.stdout, 'close');
			child.stdin.write('end\n');
			const [code] = await once(child, 'exit');
			expect(code).to.equal(3);
		} finally {
			child.kill('SIGKILL');
		}
	});
});

import type { ChildProcess } from 'node:child_process';
import { spawn } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import { join } from 'node:path';
import { Client } from 'pg';

const root = join(import.meta.dirname, '..');

/** The built application on a database of its own, as `npm start` runs it. */
export class Application {
  private child: ChildProcess | null = null;
  private readonly name = `e2e_${randomBytes(6).toString('hex')}`;
  url = '';

  async start(demoTopLevel: number): Promise<void> {
    await this.admin(`create database ${this.name}`);
    const database = new URL(process.env['DATABASE_URL'] ?? '');
    database.pathname = `/${this.name}`;
    const child = spawn(process.execPath, ['--enable-source-maps', join(root, 'apps/server/dist/main.js')], {
      env: {
        ...process.env,
        DATABASE_URL: database.href,
        PORT: '0',
        WEB_DIR: join(root, 'apps/web/dist/browser'),
        DEMO_TOP_LEVEL: String(demoTopLevel),
        LOG_LEVEL: 'warn',
      },
      stdio: ['ignore', 'pipe', 'inherit'],
    });
    this.child = child;
    this.url = await new Promise<string>((resolve, reject) => {
      child.stdout.on('data', (data: Buffer) => {
        const found = /ready at (\S+)/.exec(String(data));
        if (found) resolve(found[1]);
      });
      child.once('exit', (code) => reject(new Error(`the server ended with ${code}`)));
    });
  }

  async stop(): Promise<void> {
    const { child } = this;
    if (child?.exitCode === null) {
      const ended = new Promise((resolve) => child.once('exit', resolve));
      child.kill('SIGTERM');
      await ended;
    }
    await this.admin(`drop database if exists ${this.name} with (force)`);
  }

  private async admin(sql: string): Promise<void> {
    const client = new Client({ connectionString: process.env['DATABASE_URL'] });
    await client.connect();
    await client.query(sql).finally(() => client.end());
  }
}

import { createHash } from 'node:crypto';
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { Client } from 'pg';
import { connectDatabase, migrate } from '../../src/platform/database/connect';
import { prepareQueue } from '../../src/platform/queue/queue';

/** Of all that makes the tables: another set of them is another template. */
function tablesDigest(): string {
  const folder = join(__dirname, '../../src/platform/database');
  const hash = createHash('sha256');
  for (const name of readdirSync(folder, { recursive: true, encoding: 'utf8' }).sort())
    if (name.endsWith('.ts')) hash.update(name).update(readFileSync(join(folder, name)));
  return hash.digest('hex').slice(0, 32);
}

async function make(url: string): Promise<void> {
  const knex = await connectDatabase(url);
  try {
    await migrate(knex);
  } finally {
    await knex.destroy();
  }
  await prepareQueue({ connectionString: url }, 'template');
}

/**
 * A database with all tables and nothing in them, from which others are copied: making the tables takes longer than many
 * a test file does. Several runners ask for it at once; one of them makes it.
 * @param cluster URL of the cluster's own database
 * @returns its name
 */
export async function template(cluster: string): Promise<string> {
  const name = `template_${tablesDigest()}`;
  const client = new Client({ connectionString: cluster });
  await client.connect();
  try {
    await client.query(`select pg_advisory_lock(hashtextextended('nest-mark test template', 0))`);
    const { rows } = await client.query<{ datname: string }>(
      `select datname from pg_database where datname like 'template\\_%'`,
    );
    if (rows.some(({ datname }) => datname === name)) return name;
    // What is made half is found by nobody; what earlier tables were made for is of no use to anybody.
    for (const { datname } of rows) await client.query(`drop database if exists ${datname} with (force)`);
    await client.query('drop database if exists making with (force)');
    await client.query('create database making');
    await make(cluster.replace(/\/[^/]*$/, '/making'));
    await client.query(`alter database making rename to ${name}`);
    return name;
  } finally {
    await client.end();
  }
}

import type { Knex } from 'knex';

/** An upload stays on record with its image: whoever missed the last answer can ask whether the file arrived whole. */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    alter table upload add column image_id uuid references image (id) on delete cascade;
    create index upload_of_image on upload (image_id);
  `);
}

export async function down(knex: Knex): Promise<void> {
  // Earlier versions knew no upload that has become an image.
  await knex.raw(`
    delete from upload where image_id is not null;
    alter table upload drop column image_id;
  `);
}

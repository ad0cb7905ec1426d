import type { Migration } from '../migrate';

/** A production's usual recipe. Names that older versions took and the present one refuses lose their control characters and marks of direction; one
 *  that had some gets the beginning of its id as well, as it might be empty now, or stand twice. */
const STRANGE = '[\\u0001-\\u001f\\u007f-\\u009f\\u061c\\u200e\\u200f\\u202a-\\u202e\\u2066-\\u2069]';
const cleaned = (table: string): string => `
    update ${table} set name = trim(trim(regexp_replace(name, '${STRANGE}', '', 'g')) || ' ' || left(id::text, 8))
     where name ~ '${STRANGE}';
`;

export const usualRecipe: Migration = {
  name: '014-usual-recipe',
  sql: `
    alter table production add column recipe_id uuid references recipe (id) on delete set null;
    ${['production', 'asset', 'part', 'recipe'].map(cleaned).join('')}
  `,
};

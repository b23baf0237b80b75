import { type Kysely, sql } from 'kysely'

/** Two figures of a gas's kept frames have other names: `neck` is `baseBuoyancy`, `standing` is `axialFlameLength`. */
export async function up(db: Kysely<never>): Promise<void> {
  await sql`
    update result_frame
    set figures = (figures - 'neck' - 'standing')
      || jsonb_build_object('baseBuoyancy', figures->'neck', 'axialFlameLength', figures->'standing')
    where figures ? 'neck'
  `.execute(db)
}

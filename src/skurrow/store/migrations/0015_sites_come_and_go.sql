-- migrate:up

-- A site that sold nothing can be deleted; one that did is archived: closed, out of the way, and kept. Before a site is
-- opened only those who bring its test pass try it, unless everybody may.

alter table sites add column archived_at timestamptz;
alter table sites add column everybody_tries boolean not null default false;
comment on column sites.archived_at is 'since when it is out of the way; it was closed then, and keeps serving who bought';
comment on column sites.everybody_tries is 'before it is opened, whoever comes may buy for a test';

drop function sites_with_names(uuid);
create function sites_with_names(person uuid)
  returns table (site_id uuid, code text, role text, name text, archived boolean)
  language sql stable security definer set search_path = public, pg_temp as
$$ select members.site_id, sites.code, members.role,
     coalesce((select body->>'name' from part_revisions newest
               where newest.site_id = sites.id and kind = 'site' order by change desc limit 1), sites.code),
     sites.archived_at is not null
   from members join sites on sites.id = members.site_id
   where members.person_id = person order by sites.code $$;
revoke execute on function sites_with_names(uuid) from public;
grant execute on function sites_with_names(uuid) to skurrow_app;

-- What keeps what was written lets go of test data while it is cleared, and of a site that sold nothing while that is
-- deleted. The application has no right to delete these rows; the functions have.
create or replace function refuse_change() returns trigger language plpgsql as $$
begin
  if tg_op = 'DELETE' and current_setting('skurrow.clearing', true) = 'test' and to_jsonb(old) ->> 'mode' = 'test' then
    return old;
  end if;
  if tg_op = 'DELETE' and current_setting('skurrow.clearing', true) = to_jsonb(old) ->> 'site_id' then
    return old;
  end if;
  raise exception '% keeps what was written: no % allowed', tg_table_name, lower(tg_op)
    using errcode = 'integrity_constraint_violation';
end $$;

-- Deletes the own site with everything of it; false, and nothing is deleted, where it has an order in the live book.
create function delete_site(site uuid) returns boolean
  language plpgsql security definer set search_path = public, pg_temp as $$
declare named text; declare left_over text[]; declare next_round text[];
begin
  if site is distinct from current_site() then
    raise exception 'only the own site is deleted' using errcode = 'insufficient_privilege';
  end if;
  perform 1 from sites where id = site for update; -- whoever adds something of it waits here, and then has no site
  if exists (select from orders where site_id = site and mode = 'live') then
    return false;
  end if;
  perform set_config('skurrow.clearing', site::text, true);
  select array_agg(c.relname::text order by c.oid desc) into left_over from pg_class c
    join pg_attribute a on a.attrelid = c.oid and a.attname = 'site_id' and not a.attisdropped
    where c.relnamespace = 'public'::regnamespace and c.relkind = 'r';
  -- A table that others point at is done in a later round, when they are.
  while left_over is not null loop
    next_round := null;
    foreach named in array left_over loop
      begin
        execute format('delete from %I where site_id = $1', named) using site;
      exception when foreign_key_violation then
        next_round := array_append(next_round, named);
      end;
    end loop;
    if next_round = left_over then
      raise exception 'something still points at %', left_over using errcode = 'foreign_key_violation';
    end if;
    left_over := next_round;
  end loop;
  delete from sites where id = site;
  perform set_config('skurrow.clearing', '', true);
  return true;
end $$;
revoke execute on function delete_site(uuid) from public;
grant execute on function delete_site(uuid) to skurrow_app;
-- migrate:down

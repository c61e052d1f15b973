-- migrate:up

-- How far a test book's date is ahead of the clock, in one question: every test buyer's quote asks it.

create function calendar_ahead(site uuid) returns interval
  language sql stable security definer set search_path = public, pg_temp as
$$ select ahead from calendars where site_id = site $$;

revoke execute on function calendar_ahead(uuid) from public;
grant execute on function calendar_ahead(uuid) to skurrow_app;
-- migrate:down

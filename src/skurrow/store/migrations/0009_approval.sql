-- migrate:up

-- Where the buyer approves a charge before it is made; forgotten once it is decided.
alter table attempts add column approve_at text;
alter table attempts add constraint approval_goes_when_closed check (state = 'open' or approve_at is null);
-- migrate:down

-- migrate:up

-- When, by the date of its book, whoever is to pay an order is reminded; null where nobody is, or where it is done.
alter table attempts add column remind_at timestamptz;
update attempts set remind_at = ask_at where state = 'open' and waits = 'person' and ask_at < due_at;

-- migrate:down

alter table attempts drop column remind_at;

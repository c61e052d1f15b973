-- migrate:up

-- Of a paid order nothing changes, but for whose it was: somebody who is to be forgotten is, and the books stay.
drop trigger orders_stay_paid on orders;
create trigger orders_stay_paid before update on orders
  for each row when (old.state = 'paid' and new is distinct from old and not (
    new.customer like 'forgotten %' and new.buyer->>'email' = ''
    and to_jsonb(new) - 'customer' - 'buyer' = to_jsonb(old) - 'customer' - 'buyer'))
  execute function refuse_reopening();

-- migrate:down

drop trigger orders_stay_paid on orders;
create trigger orders_stay_paid before update on orders
  for each row when (old.state = 'paid' and new is distinct from old)
  execute function refuse_reopening();

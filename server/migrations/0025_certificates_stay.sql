-- Certificates cannot be emptied by the owner of the database either; changing and deleting one was refused already.
create trigger certificate_kept before truncate on certificate
  for each statement execute function refuse_change('A certificate that was issued stays as it is');

-- Notes of the plan are left where something changed: one trigger for each way it can.
drop trigger if exists place_noted on place;

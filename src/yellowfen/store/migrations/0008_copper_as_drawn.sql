-- How drawn copper conducts from cell to cell is now kept with a board: boards from files are read again.
UPDATE board SET stale = 1 WHERE sketch IS NULL;

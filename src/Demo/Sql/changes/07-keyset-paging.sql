-- Booking pages: by key instead of OFFSET
-- OFFSET reads and throws away every row before the page. The key of the last row seen leads straight to the next page.
-- rewrite: booking_pages
-- bind: created='9999', last=0
-- bind: {{key 200}}
-- bind: {{key 8000}}
SELECT id, hut_id, member_id, state, created_at
FROM booking
WHERE (created_at, id) < (:created, :last)
ORDER BY created_at DESC, id DESC
LIMIT 20;

-- What was registered at first is a line before all others; the rows that hold now are kept with all that
-- follows from lines.
INSERT INTO line (seq, id, kind, about, about_id, at, noted_at, facts, typed)
    SELECT -6000000000 + rowid, 'vessel-' || id || '-first', 'first', 'vessel', id,
           '0001-01-01T00:00:00.000Z', '0001-01-01T00:00:00.000Z',
           first_state(
               as_json('name', name, 'shape', shape, 'sizes_mm', sizes_mm, 'purpose', purpose, 'carry_over_fraction', carry_over_fraction, 'fire', fire),
               (SELECT json_group_array(json(facts)) FROM (
                   SELECT facts FROM line WHERE kind = 'registered' AND about = 'vessel'
                       AND about_id = vessel.id AND at = '0001-01-01T00:00:00.000Z' ORDER BY seq))),
           '{}'
    FROM vessel;
INSERT INTO line (seq, id, kind, about, about_id, at, noted_at, facts, typed)
    SELECT -5000000000 + rowid, 'woodlot-' || id || '-first', 'first', 'woodlot', id,
           '0001-01-01T00:00:00.000Z', '0001-01-01T00:00:00.000Z',
           first_state(
               as_json('name', name, 'sugar_kind', sugar_kind, 'retired', retired),
               (SELECT json_group_array(json(facts)) FROM (
                   SELECT facts FROM line WHERE kind = 'registered' AND about = 'woodlot'
                       AND about_id = woodlot.id AND at = '0001-01-01T00:00:00.000Z' ORDER BY seq))),
           '{}'
    FROM woodlot;
INSERT INTO line (seq, id, kind, about, about_id, at, noted_at, facts, typed)
    SELECT -4000000000 + rowid, 'instrument-' || id || '-first', 'first', 'instrument', id,
           '0001-01-01T00:00:00.000Z', '0001-01-01T00:00:00.000Z',
           first_state(
               as_json('kind', kind, 'name', name, 'detail', detail, 'vessel_id', vessel_id, 'retired_at', retired_at, 'registered_at', registered_at),
               (SELECT json_group_array(json(facts)) FROM (
                   SELECT facts FROM line WHERE kind = 'registered' AND about = 'instrument'
                       AND about_id = instrument.id AND at = '0001-01-01T00:00:00.000Z' ORDER BY seq))),
           '{}'
    FROM instrument;
INSERT INTO line (seq, id, kind, about, about_id, at, noted_at, facts, typed)
    SELECT -3000000000 + rowid, 'tree-' || id || '-first', 'first', 'tree', id,
           '0001-01-01T00:00:00.000Z', '0001-01-01T00:00:00.000Z',
           first_state(
               as_json('woodlot_id', woodlot_id, 'name', name, 'kind', kind, 'retired', retired),
               (SELECT json_group_array(json(facts)) FROM (
                   SELECT facts FROM line WHERE kind = 'registered' AND about = 'tree'
                       AND about_id = tree.id AND at = '0001-01-01T00:00:00.000Z' ORDER BY seq))),
           '{}'
    FROM tree;
INSERT INTO line (seq, id, kind, about, about_id, at, noted_at, facts, typed)
    SELECT -2000000000 + rowid, 'tank-' || id || '-first', 'first', 'tank', id,
           '0001-01-01T00:00:00.000Z', '0001-01-01T00:00:00.000Z',
           first_state(
               as_json('name', name, 'capacity_l', capacity_l, 'place', place, 'retired', retired),
               (SELECT json_group_array(json(facts)) FROM (
                   SELECT facts FROM line WHERE kind = 'registered' AND about = 'tank'
                       AND about_id = tank.id AND at = '0001-01-01T00:00:00.000Z' ORDER BY seq))),
           '{}'
    FROM tank;
INSERT INTO line (seq, id, kind, about, about_id, at, noted_at, facts, typed)
    SELECT -1000000000 + rowid, 'batch-' || id || '-first', 'first', 'batch', id,
           '0001-01-01T00:00:00.000Z', '0001-01-01T00:00:00.000Z',
           first_state(
               as_json('code', code, 'opened_at', opened_at, 'woodlot_id', woodlot_id, 'vessel_id', vessel_id, 'sugar_kind', sugar_kind, 'target_brix', target_brix, 'draw_margin_brix', draw_margin_brix, 'methods', methods),
               (SELECT json_group_array(json(facts)) FROM (
                   SELECT facts FROM line WHERE kind = 'registered' AND about = 'batch'
                       AND about_id = batch.id AND at = '0001-01-01T00:00:00.000Z' ORDER BY seq))),
           '{}'
    FROM batch;

"""A conversion that channels may have to hear of is noted in the statement that changes it, whoever writes."""

from django.db import migrations

_WANTED = """
    INSERT INTO delivery_owedreport (site_id, rule_id, event_id)
    SELECT DISTINCT site_id, rule_id, event_id FROM (%s) changed
    WHERE rule_id IN (
        SELECT r.conversionrule_id FROM delivery_adchannel_rules r
        JOIN delivery_adchannel c ON c.id = r.adchannel_id WHERE c.removed_at IS NULL
    );
"""
_ONE = "SELECT site_id, rule_id, event_id FROM {0}"
_BOTH = f"{_ONE.format('old_rows')} UNION {_ONE.format('new_rows')}"

_MAKE = f"""
CREATE FUNCTION owe_reports() RETURNS trigger LANGUAGE plpgsql AS $owe$
BEGIN
    IF TG_OP = 'INSERT' THEN {_WANTED % _ONE.format("new_rows")}
    ELSIF TG_OP = 'DELETE' THEN {_WANTED % _ONE.format("old_rows")}
    ELSE {_WANTED % _BOTH}
    END IF;
    RETURN NULL;
END
$owe$;
CREATE TRIGGER owe_insert AFTER INSERT ON conversions_conversion REFERENCING NEW TABLE AS new_rows
    FOR EACH STATEMENT EXECUTE FUNCTION owe_reports();
CREATE TRIGGER owe_delete AFTER DELETE ON conversions_conversion REFERENCING OLD TABLE AS old_rows
    FOR EACH STATEMENT EXECUTE FUNCTION owe_reports();
CREATE TRIGGER owe_update AFTER UPDATE ON conversions_conversion REFERENCING OLD TABLE AS old_rows NEW TABLE AS new_rows
    FOR EACH STATEMENT EXECUTE FUNCTION owe_reports();
"""
_UNMAKE = """
DROP TRIGGER owe_insert ON conversions_conversion;
DROP TRIGGER owe_delete ON conversions_conversion;
DROP TRIGGER owe_update ON conversions_conversion;
DROP FUNCTION owe_reports();
"""


class Migration(migrations.Migration):
    dependencies = [("delivery", "0001_initial"), ("conversions", "0004_conversion_day")]

    operations = [migrations.RunSQL(_MAKE, _UNMAKE)]

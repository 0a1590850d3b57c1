package vintrel.server.access;

import java.time.DateTimeException;
import java.time.ZoneId;
import org.springframework.stereotype.Service;
import vintrel.server.database.Database;
import vintrel.server.web.PersonZones;

/** The time zones that people chose, in the database. */
@Service
class ZonesOfPeople implements PersonZones {
  private final Database database;

  ZonesOfPeople(Database database) {
    this.database = database;
  }

  @Override
  public ZoneId zone(String person) {
    var name =
        database.with(
            s ->
                s.createNativeQuery("select zone from person_zone where person = :p", String.class)
                    .setParameter("p", person)
                    .uniqueResult());
    try {
      return name == null ? null : ZoneId.of(name);
    } catch (DateTimeException e) {
      // A zone that this Java does not have any more.
      return null;
    }
  }

  @Override
  public void choose(String person, ZoneId zone) {
    database.run(
        s -> {
          s.createNativeMutationQuery("delete from person_zone where person = :p")
              .setParameter("p", person)
              .executeUpdate();
          if (zone != null) {
            s.createNativeMutationQuery("insert into person_zone (person, zone) values (:p, :z)")
                .setParameter("p", person)
                .setParameter("z", zone.getId())
                .executeUpdate();
          }
        });
  }
}

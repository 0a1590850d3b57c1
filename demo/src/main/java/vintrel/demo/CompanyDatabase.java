package vintrel.demo;

import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.SQLException;
import java.time.LocalDateTime;
import java.time.ZoneOffset;
import java.util.Random;
import java.util.TreeMap;
import org.h2.tools.Server;

/**
 * The company's database, by a stand-in: an H2 server in this process with bookings, sailings and
 * active sessions, and a user who may only read.
 */
final class CompanyDatabase implements AutoCloseable {
  static final String READER = "reader";
  static final String PASSWORD = "reads-only";
  private static final int DAYS = 14;

  private final Server server;
  private final Connection owner;

  /**
   * @param port where it listens; 0 for any that is free
   */
  CompanyDatabase(long seed, long now, int port) throws SQLException {
    System.setProperty("h2.bindAddress", "127.0.0.1");
    this.server = Server.createTcpServer("-tcpPort", String.valueOf(port), "-ifNotExists").start();
    this.owner =
        DriverManager.getConnection("jdbc:h2:mem:bookings;DB_CLOSE_DELAY=-1", "owner", "owner");
    try (var s = owner.createStatement()) {
      s.execute(
          "create table bookings (id int primary key, made_at timestamp not null, site varchar(40),"
              + " route varchar(60), seats int, price decimal(10, 2))");
      s.execute(
          "create table sailings (id int primary key, leaves_at timestamp not null, ship"
              + " varchar(20), site varchar(40), cars int, late_minutes int)");
      s.execute("create table sessions (site varchar(40) primary key, active int)");
      s.execute("create user " + READER + " password '" + PASSWORD + "'");
      s.execute("grant select on schema public to " + READER);
    }
    fill(new Random(seed), now);
  }

  int port() {
    return server.getPort();
  }

  String url() {
    return "jdbc:h2:tcp://127.0.0.1:" + server.getPort() + "/mem:bookings";
  }

  private void fill(Random random, long now) throws SQLException {
    var sites = new TreeMap<>(Fleet.SITES).keySet().toArray(String[]::new);
    var ships = new String[] {"Tern", "Plover", "Dunlin", "Whimbrel"};
    try (var booking = owner.prepareStatement("insert into bookings values (?, ?, ?, ?, ?, ?)");
        var sailing = owner.prepareStatement("insert into sailings values (?, ?, ?, ?, ?, ?)");
        var session = owner.prepareStatement("insert into sessions values (?, ?)")) {
      int id = 0;
      for (long t = now - DAYS * Fleet.DAY; t < now; t += 5 * Fleet.MINUTE) {
        for (var site : sites) {
          if (random.nextDouble() < Noise.web(t)) {
            int seats = 1 + random.nextInt(5);
            booking.setInt(1, ++id);
            booking.setObject(2, utc(t + random.nextInt(300_000)));
            booking.setString(3, site);
            booking.setString(4, site + " to " + sites[random.nextInt(sites.length)]);
            booking.setInt(5, seats);
            booking.setDouble(6, seats * (12.5 + random.nextInt(20)));
            booking.addBatch();
          }
        }
        if (t % (90 * Fleet.MINUTE) < 5 * Fleet.MINUTE) {
          sailing.setInt(1, ++id);
          sailing.setObject(2, utc(t));
          sailing.setString(3, ships[random.nextInt(ships.length)]);
          sailing.setString(4, sites[random.nextInt(sites.length)]);
          sailing.setInt(5, 20 + random.nextInt(90));
          sailing.setInt(6, random.nextInt(4) == 0 ? random.nextInt(35) : 0);
          sailing.addBatch();
        }
      }
      booking.executeBatch();
      sailing.executeBatch();
      for (var site : sites) {
        session.setString(1, site);
        session.setInt(2, 40 + random.nextInt(200));
        session.executeUpdate();
      }
    }
  }

  private static LocalDateTime utc(long ms) {
    return LocalDateTime.ofEpochSecond(ms / 1000, 0, ZoneOffset.UTC);
  }

  @Override
  public void close() throws SQLException {
    owner.close();
    server.stop();
  }
}

package vintrel.server.tell;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.GeneratedValue;
import jakarta.persistence.GenerationType;
import jakarta.persistence.Id;
import jakarta.persistence.Table;

/** An alert of a group. */
@Entity(name = "GroupMember")
@Table(name = "group_member")
class MemberRow {
  @Id
  @GeneratedValue(strategy = GenerationType.IDENTITY)
  Long id;

  @Column(name = "group_id")
  long groupId;

  String alert;

  @Column(name = "notice_id")
  long noticeId;

  String told;
  String priority;
  boolean active;
  boolean acknowledged;
  int flaps;
}

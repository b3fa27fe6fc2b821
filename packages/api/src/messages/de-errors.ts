import type { enErrors } from './en-errors.js';

/** Was nicht ging und was zu tun ist. */
export const deErrors: typeof enErrors = {
  errors: {
    'invalid-input': {
      title: 'Etwas an der Anfrage ist nicht, wie es sein soll.',
      remedy: 'Berichtigen Sie die genannten Felder und senden Sie sie noch einmal.',
    },
    'malformed-request': {
      title: 'Was kam, ist keine Anfrage nach HTTP, oder ihr Kopf ist zu lang.',
      remedy: 'Sehen Sie nach, was dazwischen liegt; Adresse und Kopfzeilen müssen in 16 kB passen.',
    },
    'malformed-body': {
      title: 'Der Inhalt ist kein vollständiges JSON.',
      remedy: 'Senden Sie ein JSON-Objekt; vielleicht wurde es unterwegs abgeschnitten.',
    },
    'not-signed-in': {
      title: 'Sie sind nicht angemeldet, oder nicht mehr.',
      remedy: 'Melden Sie sich wieder an: in der Konsole oder mit nlatch login.',
    },
    'wrong-key': {
      title: 'Dieser Schlüssel einer Anwendung gilt nicht.',
      remedy: 'Prüfen Sie die Kopfzeile Authorization, oder stellen Sie auf der Seite der Anwendung einen neuen aus.',
    },
    'not-permitted': {
      title: 'Ihre Rollen erlauben das nicht.',
      remedy: 'Fragen Sie einen Eigentümer; das Recht, das fehlt, heißt {permission}.',
    },
    'outside-your-groups': {
      title: 'Ihre Rollen sind auf Gruppen begrenzt, und dies liegt außerhalb.',
      remedy:
        'Fragen Sie einen Eigentümer oder jemanden, dessen Rolle nicht begrenzt ist; das Recht heißt {permission}.',
    },
    'owners-only': {
      title: 'Das ist eine Verwalterin, ein Verwalter oder ein Notfallkonto; die ändern nur Eigentümer.',
      remedy: 'Fragen Sie einen Eigentümer.',
    },
    'own-rights': {
      title: 'Niemand ändert die eigenen Rollen.',
      remedy: 'Fragen Sie einen anderen Eigentümer.',
    },
    'not-yours-to-sign': {
      title: 'Diese Gegenzeichnung steht Ihnen nicht zu.',
      remedy: 'Es braucht jemand anderen aus der Verwaltung, der es selbst dürfte und den es nicht betrifft.',
    },
    'role-not-limitable': {
      title: 'Die Rolle {role} betrifft die ganze Installation und lässt sich nicht auf Gruppen begrenzen.',
      remedy: 'Geben Sie sie ohne Grenze oder eine andere Rolle.',
    },
    'signature-needed': {
      title: 'Das braucht das Ja einer zweiten Person aus der Verwaltung; getan ist noch nichts.',
      remedy:
        'Tun Sie es noch einmal, sobald die Anfrage {request} gegengezeichnet ist, vor {until}. Gibt es keine zweite Person, ab {ripe}.',
    },
    'signature-expired': {
      title: 'Die Anfrage auf Gegenzeichnung ist abgelaufen.',
      remedy: 'Fragen Sie noch einmal.',
    },
    'scope-missing': {
      title: 'Dieser Verbindung wurde {scope} nicht gewährt.',
      remedy: 'Gewähren Sie es auf der Seite der Anwendung, wenn sie es haben soll.',
    },
    'proof-needed': {
      title: 'Das braucht einen frischen Nachweis, dass Sie es sind.',
      remedy: 'Melden Sie sich noch einmal an und wiederholen Sie es dann.',
    },
    'cross-site': {
      title: 'Die Anfrage kam nicht von dieser Konsole.',
      remedy: 'Öffnen Sie die Konsole selbst und tun Sie es dort.',
    },
    'not-found': {
      title: 'Das gibt es hier nicht.',
      remedy: 'Prüfen Sie die Adresse oder die Kennung; vielleicht wurde es gelöscht.',
    },
    'login-name-taken': {
      title: 'Der Anmeldename {loginName} gehört schon jemandem.',
      remedy: 'Wählen Sie einen anderen, oder nehmen Sie ihn zuerst jener Person weg.',
    },
    'serial-taken': {
      title: 'Ein anderer Träger hat diese Seriennummer: er gehört {name}.',
      remedy:
        'Lesen Sie die Nummer noch einmal; hat das Gerät den Besitzer gewechselt, nehmen Sie sie erst von jenem Träger.',
    },
    'name-taken': { title: 'Der Name {name} ist vergeben.', remedy: 'Wählen Sie einen anderen Namen.' },
    'wrong-state': {
      title: 'Das geht nicht, solange der Zustand {state} ist.',
      remedy: 'Sehen Sie noch einmal nach; vielleicht hat er sich inzwischen geändert.',
    },
    'last-login-name': {
      title: 'Dies ist der letzte Anmeldename; ohne einen kann sich eine Person nicht anmelden.',
      remedy: 'Fügen Sie zuerst einen anderen hinzu.',
    },
    'last-owner': {
      title: 'Dies ist der letzte aktive Eigentümer; niemand könnte den Dienst mehr verwalten.',
      remedy: 'Ernennen Sie zuerst einen anderen.',
    },
    'limit-reached': {
      title: 'Es sind schon {limit}, mehr dürfen es nicht sein.',
      remedy: 'Entfernen Sie eines, das nicht mehr gebraucht wird.',
    },
    'count-changed': {
      title:
        'Es beträfe {people, plural, one {# Person} other {# Personen}}, nicht so viele wie gezählt; nichts wurde getan.',
      remedy: 'Sehen Sie die Liste noch einmal an und wiederholen Sie es mit der Zahl, die jetzt stimmt.',
    },
    'group-circle': {
      title: 'Damit wäre die Gruppe ein Teil ihrer selbst.',
      remedy: 'Sehen Sie nach, welche der beiden die andere schon enthält, und nehmen Sie sie dort zuerst heraus.',
    },
    'bad-rows': {
      title: '{refused, plural, one {# Zeile ist} other {# Zeilen sind}} abgelehnt, darum wurde nichts geschrieben.',
      remedy:
        'Berichtigen Sie die Zeilen in der Datei und senden Sie sie noch einmal, oder erlauben Sie, schlechte Zeilen auszulassen.',
    },
    'too-many-cleared': {
      title:
        'Bei {cleared, plural, one {# Person} other {# Personen}} würde Bekanntes gelöscht; höchstens {most} sind erlaubt.',
      remedy: 'Sehen Sie nach, ob eine Spalte versehentlich leer ist; wenn nicht, sagen Sie, bei wie vielen.',
    },
    'entry-ambiguous': {
      title: 'Mehrere Einträge enden so.',
      remedy: 'Geben Sie mehr von der Schreiberkennung an.',
    },
    'token-proved': {
      title: 'Seine Codes haben so gestimmt, wie es ist; das lässt sich nicht berichtigen: {what}.',
      remedy:
        'Lassen Sie es, wie es ist; ist es ein anderes Gerät, mustern Sie dieses aus und bringen Sie das andere ein.',
    },
    'too-many-missing': {
      title:
        '{missing, plural, one {# Person fehlt} other {# Personen fehlen}} in der Datei und würden deaktiviert; höchstens {most} dürfen es sein.',
      remedy: 'Prüfen Sie, ob die Datei vollständig ist. Wenn ja, sagen Sie, wie viele deaktiviert werden dürfen.',
    },
    'not-a-table': {
      title: 'Diese Datei lässt sich nicht als Tabelle lesen.',
      remedy:
        'Speichern Sie sie als CSV in UTF-8, jedes Anführungszeichen geschlossen, und senden Sie sie noch einmal.',
    },
    'sign-in-ended': { title: 'Diese Anmeldung ist zu Ende.', remedy: 'Beginnen Sie eine neue.' },
    'sign-in-moved-on': {
      title: 'Im selben Moment wurde ein anderer Nachweis geprüft.',
      remedy: 'Sehen Sie nach, wo die Anmeldung jetzt steht, und antworten Sie dann.',
    },
    'request-gone': {
      title: 'Diese Anfrage zur Anmeldung ist abgelaufen oder schon verwendet.',
      remedy: 'Gehen Sie zur Anwendung zurück und beginnen Sie dort noch einmal.',
    },
    'link-spent': {
      title: 'Dieser Link wurde benutzt, oder seine Zeit ist um.',
      remedy: 'Erzeugen Sie auf dem Server einen neuen: nlatchd owner-link.',
    },
    'changed-meanwhile': {
      title: 'Jemand hat es geändert, seit Sie es zuletzt sahen.',
      remedy: 'Laden Sie es neu und wiederholen Sie Ihre Änderung.',
    },
    'body-too-large': {
      title: 'Die Anfrage ist größer als die erlaubten {limit} Bytes.',
      remedy: 'Senden Sie weniger auf einmal.',
    },
    'unsupported-media-type': {
      title: 'Der Inhalt ist von anderer Art als JSON.',
      remedy: 'Senden Sie content-type: application/json.',
    },
    'key-file-unreadable': {
      title: 'Die Datei mit Tokens lässt sich nicht lesen; nichts davon wurde behalten.',
      remedy:
        'Sehen Sie, wo und warum; bitten Sie den Hersteller noch einmal darum, oder geben Sie den Schlüssel, der dazugehört.',
    },
    'code-used': {
      title: 'Diese Codes wurden schon angenommen, oder spätere als diese.',
      remedy: 'Warten Sie auf den nächsten Code, oder drücken Sie noch einmal, und geben Sie zwei neue.',
    },
    'stock-empty': {
      title: 'Dort ist kein Token mehr im Bestand.',
      remedy:
        'Wählen Sie eine andere Lieferung, nehmen Sie eine neue Datei auf, oder legen Sie zurückgegebene Tokens in den Bestand.',
    },
    'code-wrong': {
      title: 'Das ist nicht der Code.',
      remedy: 'Warten Sie auf den nächsten und tippen Sie ihn, wie er gezeigt wird.',
    },
    'clock-off': {
      title: 'Der Code stimmt für eine andere Zeit: die Uhr des Geräts geht {minutes} min {seconds} s {direction}.',
      remedy: 'Stellen Sie Datum und Uhrzeit des Geräts auf automatisch und tippen Sie einen neuen Code.',
    },
    'token-clock-off': {
      title: 'Der Code stimmt für eine andere Zeit: die Uhr des Tokens geht {minutes} min {seconds} s {direction}.',
      remedy:
        'Tippen Sie zwei Codes, die es nacheinander zeigt: sie bestätigen es, und die Abweichung seiner Uhr wird behalten.',
    },
    'token-ahead': {
      title: 'Der Code stimmt, aber das Token ist um {codes, plural, one {# Code} other {# Codes}} weiter.',
      remedy: 'Tippen Sie zwei Codes, die es nacheinander zeigt: sie bestätigen es, wo es jetzt steht.',
    },
    'codes-not-consecutive': {
      title: 'Die beiden Codes folgen nicht aufeinander.',
      remedy: 'Tippen Sie einen Code, warten Sie, bis er wechselt, und tippen Sie gleich den nächsten.',
    },
    'token-days': {
      title: 'Dieses Token gilt heute nicht: seine Tage sind {from} bis {until}.',
      remedy: 'Nehmen Sie ein anderes; diese Tage kamen vom Hersteller mit.',
    },
    'key-needs-name': {
      title:
        'Passkeys und Sicherheitsschlüssel brauchen einen Dienst mit einem Namen; dieser steht unter der Adresse {address}.',
      remedy: 'Geben Sie dem Dienst einen Namen in Ihrem Netz, und setzen Sie NLATCH_PUBLIC_URL darauf.',
    },
    'keys-elsewhere': {
      title: 'Schlüssel werden hier für {domain} gemacht, aber der Dienst steht unter {host}, außerhalb davon.',
      remedy:
        'Erreichen Sie ihn unter einem Namen in dieser Domäne (NLATCH_PUBLIC_URL), oder wählen Sie eine andere: nlatch key-domain set.',
    },
    'key-not-right': {
      title: 'Dieser Schlüssel öffnet hier nichts.',
      remedy: 'Versuchen Sie einen anderen, oder melden Sie sich mit Ihrem Anmeldenamen an.',
    },
    'key-not-allowed': {
      title: 'Dieser Schlüssel darf hier nicht eingerichtet werden: {why}.',
      remedy: 'Nehmen Sie einen anderen, oder fragen Sie Ihre Administratoren, welche sie nehmen.',
    },
    'metadata-refused': {
      title: 'Die Metadaten werden nicht genommen: {why}.',
      remedy:
        'Holen Sie die Datei neu und vergleichen Sie das Wurzelzertifikat mit den Angaben ihres Herausgebers. Nichts wurde geändert.',
    },
    'metadata-no-root': {
      title: 'Über Modelle von Schlüsseln wird noch niemandem geglaubt.',
      remedy: 'Sagen Sie zuerst, wessen Metadaten geglaubt werden: nlatch key-model source --root <certificate.pem>.',
    },
    'metadata-unreachable': {
      title: 'Von {address} kamen keine Metadaten.',
      remedy:
        'Sehen Sie nach, ob der Rechner des Dienstes sie erreicht, oder lesen Sie eine Datei: nlatch key-model read <file>.',
    },
    'key-not-taken': {
      title: 'Die Antwort des Schlüssels kann nicht angenommen werden ({reason}, Schritt {step}).',
      remedy: 'Beginnen Sie noch einmal. Bleibt es dabei, nehmen Sie einen anderen Browser oder Schlüssel.',
    },
    'key-known': {
      title: 'Dieser Schlüssel ist schon eingetragen.',
      remedy: 'Benutzen Sie ihn, wie er ist, oder entfernen Sie ihn zuerst dort, wo er eingetragen ist.',
    },
    'pin-weak': {
      title: 'Diese PIN geht nicht: {why}.',
      remedy: 'Wählen Sie andere Ziffern, keine Reihe und kein Datum von Ihnen.',
    },
    'password-weak': {
      title: 'Dieses Passwort genügt nicht: {why}.',
      remedy: 'Wählen Sie ein längeres; mehrere Wörter sind gut.',
    },
    'password-wrong': { title: 'Das bisherige Passwort stimmt nicht.', remedy: 'Tippen Sie es noch einmal.' },
    'key-reused': {
      title: 'Dieser Idempotency-Key kam schon mit einer anderen Anfrage.',
      remedy: 'Nehmen Sie für jede neue Anfrage einen neuen.',
    },
    'named-by-methods': {
      title: 'Die Einstellungen der Verfahren haben eine Zeile für diese Gruppe.',
      remedy:
        'Nehmen Sie die Zeile erst heraus; sonst fielen ihre Leute von einem Moment zum anderen an die Zeilen darunter.',
    },
    'method-not-offered': {
      title:
        'Die Einstellungen der Verfahren bieten {method} dieser Person nicht an (Zeile {row} entscheidet; 0 für keine).',
      remedy:
        'Sehen Sie nach, was ihr angeboten wird und warum: nlatch method offered <person>, oder die Einstellungen.',
    },
    'passes-open': {
      title: 'Sie haben so viele Ausweise vergeben, wie Sie zugleich dürfen: {most, plural, one {#} other {#}}.',
      remedy: 'Ziehen Sie zurück, was nicht mehr gebraucht wird, oder bitten Sie jemanden, der mehr vergeben darf.',
    },
    'passes-today': {
      title: 'Sie haben so viele Ausweise vergeben, wie Sie an einem Tag dürfen: {most, plural, one {#} other {#}}.',
      remedy: 'Bitten Sie jemand anderen, der sie vergeben darf; wie viele, legen Eigner fest.',
    },
    'last-day': {
      title: 'Es ist der letzte Tag: es lässt sich nicht mehr verschieben.',
      remedy: 'Richten Sie es jetzt ein; das dauert wenige Minuten.',
    },
    'invitation-gone': {
      title: 'Diese Einladung gilt nicht, oder nicht mehr.',
      remedy: 'Sehen Sie nach, ob der Code ganz da ist. Wenn ja, bitten Sie den Helpdesk um eine neue.',
    },
    'notice-gone': {
      title: 'Dieser Link gilt nicht, oder nicht mehr.',
      remedy: 'Öffnen Sie ihn noch einmal ganz aus der Nachricht. Ist sie älter, so rufen Sie Ihren Helpdesk an.',
    },
    'phone-unknown': {
      title: 'Dieses Telefon ist hier nicht bekannt, oder nicht mehr.',
      remedy:
        'Richten Sie es dort neu ein, wo Sie sich darum kümmern, womit Sie sich anmelden, oder fragen Sie Ihren Helpdesk.',
    },
    'phone-clock': {
      title: 'Die Uhr des Telefons geht falsch; hier ist es {now}.',
      remedy: 'Stellen Sie Datum und Uhrzeit auf automatisch und versuchen Sie es noch einmal.',
    },
    'phone-known': {
      title: 'Dieses Telefon ist hier schon eingerichtet.',
      remedy: 'Nehmen Sie das Konto zuerst vom Telefon, dann folgen Sie einem neuen Link.',
    },
    'push-service-refused': {
      title: 'Dieses Telefon nennt eine Adresse zum Wecken, an die nichts geschickt wird.',
      remedy: 'Nur Push-Dienste über HTTPS kommen in Frage. Ohne einen fragt die Seite, solange sie offen ist.',
    },
    'phone-waits': {
      title: 'Das Telefon hat seine erste Anfrage noch nicht beantwortet.',
      remedy: 'Öffnen Sie den Link auf dem Telefon, beantworten Sie, was es fragt, und gehen Sie dann hier weiter.',
    },
    'proof-old': {
      title: 'Dazu braucht es einen frischen Nachweis, dass Sie es sind.',
      remedy: 'Weisen Sie sich noch einmal aus und wiederholen Sie es dann.',
    },
    'proof-weak': {
      title: 'Ein Passwort, ein Ausweis oder ein Wiederherstellungscode reicht dafür nicht.',
      remedy: 'Kommen Sie mit etwas anderem, das Sie haben. Verlorenes können Sie auch so verloren melden.',
    },
    'last-way': {
      title: 'Ohne {label} kämen Sie nicht mehr hinein bei: {places}.',
      remedy:
        'Richten Sie zuerst etwas anderes ein und entfernen Sie es dann. Ist es verloren, so melden Sie es verloren.',
    },
    'not-by-oneself': {
      title: 'Das können Sie damit hier nicht selbst tun.',
      remedy: 'Ihr Helpdesk kann es.',
    },
    'no-mail-server': {
      title: 'Es ist kein Mailserver eingerichtet.',
      remedy: 'Setzen Sie am Dienst NLATCH_SMTP_URL und NLATCH_MAIL_FROM, oder laden Sie auf Papier ein.',
    },
    'no-mail': {
      title: 'Die Person hat keine Mailadresse.',
      remedy: 'Tragen Sie zuerst eine auf ihrer Seite ein, oder laden Sie auf Papier ein.',
    },
    'named-by-rule': {
      title: 'Die Regel „{rule}“ des geltenden Regelwerks nennt es.',
      remedy:
        'Veröffentlichen Sie erst ein Regelwerk, das ohne auskommt; sonst hieße die Regel von einem Moment zum anderen etwas anderes.',
    },
    'draft-missing': {
      title: 'Es gibt keinen Entwurf des Regelwerks.',
      remedy: 'Speichern Sie erst einen.',
    },
    'configuration-unsound': {
      title: 'So ist die Datei keine Konfiguration; nichts wurde geändert.',
      remedy:
        'Bessern Sie sie an den genannten Stellen aus und versuchen Sie es noch einmal; nlatch config export zeigt die Form.',
    },
    'draft-in-the-way': {
      title: 'Es gibt schon einen Entwurf des Regelwerks, und die Datei enthält einen anderen; nichts wurde geändert.',
      remedy: 'Veröffentlichen oder verwerfen Sie zuerst den Entwurf, oder nehmen Sie das Regelwerk aus der Datei.',
    },
    'too-dear': {
      title: 'Den Text zu lesen dauert länger, als erlaubt ist, oder braucht mehr Speicher.',
      remedy: 'Senden Sie weniger davon oder weniger tief verschachtelt; es wurde nichts getan.',
    },
    'draft-unsound': {
      title:
        'Der Entwurf kann nicht veröffentlicht werden: {problems, plural, one {# Fehler} other {# Fehler}} im Text.',
      remedy: 'Prüfen Sie ihn: was falsch ist, steht mit Zeile und Spalte da.',
    },
    'if-match-needed': {
      title: 'Die Anfrage sagt nicht, welche Fassung sie ändert.',
      remedy: 'Senden Sie If-Match mit dem ETag, das Sie zuletzt sahen.',
    },
    throttled: {
      title: 'Zu viele Versuche.',
      remedy: 'Versuchen Sie es in {seconds, plural, one {# Sekunde} other {# Sekunden}} wieder.',
    },
    internal: {
      title: 'Bei uns ist etwas schiefgegangen.',
      remedy:
        'Versuchen Sie es noch einmal; wenn es bleibt, nennen Sie die Kennung der Anfrage dem, der den Dienst betreibt.',
    },
    unavailable: {
      title: 'Der Dienst erreicht im Moment seine Datenbank nicht.',
      remedy: 'Versuchen Sie es in einigen Sekunden wieder.',
    },
  },
};

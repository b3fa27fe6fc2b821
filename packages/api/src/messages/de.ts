import { deTokens } from './de-tokens.js';
import { deImports } from './de-imports.js';
import { deAccess } from './de-access.js';
import { deMail } from './de-mail.js';
import { deMethods } from './de-methods.js';
import { deKeys } from './de-keys.js';
import { deRisk } from './de-risk.js';
import { deRulebook } from './de-rulebook.js';
import { deTrail } from './de-trail.js';
import type { Catalogue } from './en.js';

/** Every sentence of the contract that a person reads, in German. */
export const de: Catalogue = {
  coverages: {
    nothing: 'nichts',
    weak: 'nur Schwaches',
    'two-factors': 'zwei Faktoren',
    'phishing-resistant': 'phishing-resistent',
  },
  seen: {
    'this-week': 'diese Woche',
    'this-month': 'diesen Monat',
    'this-quarter': 'dieses Vierteljahr',
    'longer-ago': 'länger her',
    never: 'nie',
  },
  sources: {
    hand: 'von Hand',
    csv: 'CSV',
    directory: 'Verzeichnis',
    scim: 'SCIM',
    application: 'eine Anwendung',
    'set-up': 'Einrichtung',
  },
  ...deImports,
  ...deTokens,
  fields: {
    'range-shape': 'erwartet wird ein Bereich wie 10.1.0.0/16 oder 2001:db8::/48, oder eine Adresse',
    'range-beyond': 'jenseits des Präfixes sind Bits gesetzt; vielleicht ist {meant} gemeint',
    'unknown-group': 'eine dieser Gruppen gibt es nicht',
    id: 'erwartet wird eine Kennung wie 01970a3e-5c1b-7c3a-9f00-2b6d1c4e8a11',
    empty: 'darf nicht leer sein',
    'too-long': 'höchstens {most} Zeichen',
    'control-characters': 'darf keine Steuerzeichen und keine Zeichen enthalten, die die Schreibrichtung ändern',
    cursor: 'erwartet wird das `next` einer früheren Seite',
    mail: 'erwartet wird eine Adresse wie ines@wexmoor.example',
    phone: 'erwartet wird eine internationale Nummer wie +44 20 7946 0018',
    language: 'erwartet wird ein Sprachkürzel wie en oder de-CH',
    'file-empty': 'es steht nichts darin',
    'file-header-only': 'unter den Namen der Spalten steht keine Zeile',
    'file-spreadsheet': 'das ist eine Datei einer Tabellenkalkulation; speichern Sie sie dort als CSV',
    'file-binary': 'das ist kein Text',
    'file-encoding':
      'nach etwa {kilobyte} kB steht etwas, das nicht {encoding} ist; geben Sie die Kodierung an oder speichern Sie als UTF-8',
    'file-quote-open': 'ein Anführungszeichen, das in oder vor dieser Zeile beginnt, ist nicht geschlossen',
    'file-quote-stray':
      'ein Anführungszeichen steht mitten in einer Zelle; solche Zellen stehen selbst in Anführungszeichen, jedes darin doppelt',
    'file-row-long':
      'diese Zeile ist länger als {most} Zeichen; vielleicht ist ein Anführungszeichen nicht geschlossen',
    'file-columns-many': 'mehr als {most/Spalte/Spalten}',
    'file-rows-many': 'mehr als {most/Zeile/Zeilen}; senden Sie sie in Teilen',
    way: 'erwartet einen Weg wie password + totp oder webauthn(verified)',
    address: 'erwartet wird eine Adresse wie https://berths.wexmoor.example/signed-in, ohne Leerzeichen',
    'address-fragment': 'darf keinen Teil nach # haben',
    'address-credentials': 'darf weder Namen noch Passwort enthalten',
    'address-plain': 'http geht nur für diese Maschine (localhost); nehmen Sie https',
    'address-scheme':
      'erwartet wird https, oder das eigene Schema einer App mit einem Punkt darin, etwa example.wexmoor.berths:/signed-in',
    'only-oidc': 'gehört zu Verbindungen über OpenID Connect, und nur zu diesen',
    'no-scopes': 'eine Verbindung über OpenID Connect hat keine Berechtigungen; was sie erfährt, sagt releases',
    'oidc-claims': 'über OpenID Connect lässt sich nur password-checked behaupten',
    'public-claims': 'ein Client ohne Geheimnis kann nichts behaupten',
    'no-secret': 'ein öffentlicher Client hat kein Geheimnis',
    'everybody-last': 'die Zeile für alle ist die letzte',
    'everybody-missing': 'eine Zeile für alle fehlt',
    'no-such-rule': 'an dieser Stelle steht keine Regel',
    serial: 'erwartet Buchstaben, Ziffern und . _ / : - und davon mindestens drei Buchstaben oder Ziffern',
    country: 'erwartet werden die zwei Buchstaben eines Landes, etwa GB',
    'columns-number': 'erwartet werden {number/Spalte/Spalten}, so viele wie die Datei hat',
    'columns-lack': 'keine Spalte ist bestimmt als: {meaning}',
    'column-twice': 'zwei Spalten sind bestimmt als: {meaning}',
    'column-of-other-kind': 'hat in einer solchen Datei keine Bedeutung: {meaning}',
    'missing-needs-mapping':
      'wer fehlt, lässt sich nur mit einer gespeicherten Zuordnung sagen: geben Sie ihr einen Namen',
    'other-kind-of-mapping': 'ist eine Zuordnung für eine andere Art von Datei',
    'column-gone': 'die Zuordnung liest eine Spalte {column}, die diese Datei nicht hat',
    'time-zone': 'erwartet wird der Name einer Zeitzone wie Europe/London',
    'login-name-missing': 'mindestens ein Anmeldename',
    'login-name-character': 'darf keine Leerzeichen, Steuerzeichen oder unsichtbaren Zeichen enthalten',
    'login-name-shape': 'erwartet wird name, name@domäne, DOMÄNE\\name oder rechner:name',
    twice: 'steht zweimal da',
    'token-secret': 'erwartet wird ein Geheimnis in {encoding} von {least} bis {most} Byte',
    'owner-as': 'erwartet wird einmal {name}, davor und dahinter bis zu 60 Zeichen ohne Leerraum',
    'signer-not-pskc': 'nur Schlüsselcontainer (form pskc) sind signiert; diese Datei würde nicht geprüft',
    'file-signer': 'erwartet wird ein X.509-Zertifikat, PEM oder DER, als base64url',
    'file-key': 'erwartet werden passphrase und base64url, oder key und 16 bis 64 Byte in Hexadezimal',
    'pskc-xml': 'ist kein wohlgeformtes XML, oder endet zu früh',
    'pskc-doctype':
      'hat einen Dokumenttyp; keiner wird gelesen, denn er kann andere Dateien nennen und ohne Ende wachsen',
    'pskc-too-deep': 'hat Elemente, die tiefer als {most} liegen',
    'pskc-too-large': 'hat einen Teil, der größer ist, als ein Token sein kann',
    'pskc-not-pskc': 'ist kein Schlüsselbehälter nach RFC 6030, oder seine Teile stehen falsch',
    'pskc-version': 'hat eine Version, die hier nicht bekannt ist; erwartet wird 1.0',
    'pskc-key-needed': 'ist verschlüsselt; es fehlt, was sie öffnet ({kind})',
    'pskc-key-kind': 'wird durch etwas anderes geöffnet, als gegeben wurde ({kind})',
    'pskc-key-derivation': 'leitet ihren Schlüssel auf eine Weise ab, die hier nicht bekannt ist; erwartet wird PBKDF2',
    'pskc-iterations': 'verlangt mehr als {most} Durchläufe',
    'pskc-encryption-unknown': 'ist auf eine Weise verschlüsselt, die hier nicht bekannt ist',
    'pskc-mac-unknown': 'hat MACs einer Art, die hier nicht bekannt ist',
    'pskc-mac-missing': 'hat keinen MAC',
    'pskc-wrong-key': 'öffnet sich nicht durch das, was gegeben wurde, oder wurde verändert',
    'pskc-signed': 'ist signiert; geben Sie das Zertifikat an, mit dem signiert wurde, damit es geprüft werden kann',
    'pskc-not-signed': 'ist nicht signiert, obwohl das Zertifikat eines Absenders angegeben wurde',
    'pskc-signature-form':
      'ist in einer Form signiert, die nicht genommen wird: eine eingebettete Signatur über das Ganze, kanonisches oder exklusiv kanonisches XML, RSA oder ECDSA mit SHA-256 bis SHA-512',
    'pskc-signature-partial': 'ist nur in Teilen signiert; was nicht signiert ist, könnte jeder hineingesetzt haben',
    'pskc-signature-weak':
      'ist mit SHA-1 oder MD5 signiert, was sich fälschen lässt; bitten Sie den Absender um SHA-256',
    'pskc-signature-wrong':
      'ist nicht, was mit diesem Zertifikat signiert wurde: unterwegs geändert, oder jemand anders hat signiert',
    'pskc-certificate-unknown': 'ist für ein Zertifikat verschlüsselt, das keines von unseren ist',
    'pskc-empty': 'enthält keinen Schlüssel',
    'not-yaml': 'ist kein YAML in einem Dokument ohne Anker, Verweise und Tags',
    'not-changed': 'lässt sich nicht ändern; fügen Sie stattdessen etwas Neues hinzu',
    'unknown-field': 'ist hier nicht bekannt',
    'no-form': 'passt zu keiner der erlaubten Formen',
    'idempotency-key': 'erwartet werden 8 bis 100 sichtbare Zeichen ohne Leerzeichen',
    etag: 'erwartet wird das ETag, wie es geantwortet wurde, etwa "v3"',
    'not-an-application': 'ist keine eingetragene Anwendung',
    'other-prompt': 'erwartet wird {kind}; danach fragt die Anmeldung jetzt',
    'not-their-carrier': 'ist kein Träger dieser Person',
    'lost-carrier': 'ist ein Träger, der als verloren gemeldet ist',
    'code-shape': 'erwartet werden 6 bis 8 Ziffern',
    'codes-number': 'erwartet werden {number} Codes, einer nach dem anderen',
    'current-password': 'das bisherige Passwort fehlt',
    'foreign-cursor': 'ist nicht das `next` einer Seite dieser Liste',
    missing: 'fehlt',
    'wrong-type': 'erwartet wird {expected}',
    'one-of': 'erwartet wird eines von {values}',
    'too-small': 'mindestens {least}',
    'too-big': 'höchstens {most}',
    'wrong-form': 'hat nicht die Form, die hier stehen muss ({form})',
    unexpected: 'ist nicht, was hier stehen kann',
  },
  errors: {
    'invalid-input': {
      title: 'Etwas an der Anfrage ist nicht, wie es sein soll.',
      remedy: 'Berichtigen Sie die genannten Felder und senden Sie sie noch einmal.',
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
      title: 'Es beträfe {people/Person/Personen}, nicht so viele wie gezählt; nichts wurde getan.',
      remedy: 'Sehen Sie die Liste noch einmal an und wiederholen Sie es mit der Zahl, die jetzt stimmt.',
    },
    'group-circle': {
      title: 'Damit wäre die Gruppe ein Teil ihrer selbst.',
      remedy: 'Sehen Sie nach, welche der beiden die andere schon enthält, und nehmen Sie sie dort zuerst heraus.',
    },
    'bad-rows': {
      title: '{refused/Zeile ist/Zeilen sind} abgelehnt, darum wurde nichts geschrieben.',
      remedy:
        'Berichtigen Sie die Zeilen in der Datei und senden Sie sie noch einmal, oder erlauben Sie, schlechte Zeilen auszulassen.',
    },
    'too-many-missing': {
      title:
        '{missing/Person fehlt/Personen fehlen} in der Datei und würden deaktiviert; höchstens {most} dürfen es sein.',
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
        'Sehen Sie nach, was ihr angeboten wird und warum: nlatch keyring methods <person>, oder die Einstellungen.',
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
    'draft-unsound': {
      title: 'Der Entwurf kann nicht veröffentlicht werden: {problems/Fehler/Fehler} im Text.',
      remedy: 'Prüfen Sie ihn: was falsch ist, steht mit Zeile und Spalte da.',
    },
    'if-match-needed': {
      title: 'Die Anfrage sagt nicht, welche Fassung sie ändert.',
      remedy: 'Senden Sie If-Match mit dem ETag, das Sie zuletzt sahen.',
    },
    throttled: { title: 'Zu viele Versuche.', remedy: 'Versuchen Sie es in {seconds/Sekunde/Sekunden} wieder.' },
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
  weakness: {
    'too-short': 'es hat weniger als {least} Zeichen',
    blocked: 'es ist ein verbreitetes Passwort oder ein Name, der hierher gehört, mit wenig darum herum',
    same: 'es ist das vorige',
    'too-long': 'es hat mehr als 256 Zeichen',
    'own-name': 'es ist der Anmeldename',
    'one-character': 'es ist ein einziges Zeichen immer wieder',
    'pin-digits': 'sie hat etwas anderes als Ziffern',
    'pin-short': 'sie hat weniger als {least} Ziffern',
    'pin-long': 'sie hat mehr als 12 Ziffern',
    'pin-pattern': 'sie ist immer dieselbe Ziffer, eine Reihe auf oder ab oder zweimal dasselbe',
    'pin-same': 'es ist dieselbe wie vorher',
  },
  clock: { ahead: 'vor', behind: 'nach' },
  signInStates: {
    asking: 'fragt noch',
    'let-in': 'eingelassen',
    refused: 'abgewiesen',
    'enrol-first': 'muss erst einrichten',
    expired: 'abgelaufen',
  },
  reasons: {
    proved: 'alle Nachweise stimmten',
    'wrong-proof': 'der Nachweis stimmte nicht',
    'too-many-attempts': 'zu viele falsche Nachweise',
    throttled: 'pausiert nach zu vielen falschen Nachweisen',
    'no-usable-authenticator': 'nichts am Schlüsselbund zum Nachweisen',
    'prompt-not-carried': 'die Anwendung kann nicht zeigen, wonach gefragt wird',
    'refused-by-rule': 'eine Regel weist es ab',
    'password-must-change': 'das Passwort muss erst geändert werden, wo danach gefragt werden kann',
    grace: 'Schonfrist: noch nichts zum Nachweisen',
    cancelled: 'aufgegeben',
    expired: 'dauerte zu lange',
    'person-unknown': 'niemand hat diesen Anmeldenamen',
    'person-deactivated': 'die Person ist deaktiviert',
    'pin-must-change': 'erst muss eine PIN gewählt werden, wo danach gefragt werden kann',
    'no-password-set': 'die Person hat kein Passwort',
    'wrong-password': 'falsches Passwort',
    'wrong-code': 'falscher Code',
    'pin-wanted': 'der Code stimmte, seine PIN fehlte',
    'key-unknown': 'keiner ihrer Schlüssel hat geantwortet',
    'key-refused': 'die Antwort des Schlüssels hielt nicht stand',
    'key-not-verified': 'der Schlüssel hat nicht geprüft, wer ihn hält, wie der Weg es verlangt',
    'key-copied': 'der Zähler des Schlüssels ging nicht weiter: er könnte kopiert sein',
    'wrong-pin': 'der Code stimmte, die PIN nicht',
    'counter-far': 'ein Zähler, der weit voraus ist; zwei Codes gleichen ihn wieder ab',
    'code-already-used': 'dieser Code, oder ein späterer, wurde schon benutzt',
    'needs-unlock': 'das Nachweismittel muss entsperrt werden: 100 falsche Nachweise in Folge',
    'source-throttled': 'zu viele falsche Nachweise von dieser Quelle',
    'authenticator-gone': 'das Nachweismittel wurde inzwischen außer Gebrauch genommen',
  },
  prompts: {
    password: 'Passwort',
    code: 'Code',
    'next-code': 'Der Code danach',
    webauthn: 'Passkey oder Sicherheitsschlüssel',
    wait: 'Wartet auf eine Antwort anderswo',
    choose: 'Wählen Sie',
    'new-pin': 'Neue PIN',
    'new-password': 'Neues Passwort',
    text: 'PIN',
  },
  ...deAccess,
  ...deMethods,
  ...deKeys,
  ...deRisk,
  methods: {
    password: 'Passwort',
    totp: 'Code aus einer App',
    hotp: 'Code aus einem Token',
    webauthn: 'Passkey oder Sicherheitsschlüssel',
    push: 'Push',
    sms: 'Textnachricht',
    voice: 'Anruf',
    email: 'Mail',
    recovery: 'Wiederherstellungscode',
    pass: 'vorläufiger Ausweis',
    certificate: 'Zertifikat',
    workstation: 'Schlüssel des Arbeitsplatzes',
    sshkey: 'SSH-Schlüssel',
  },
  authenticatorStates: {
    pending: 'begonnen',
    active: 'aktiv',
    suspended: 'ausgesetzt',
    parked: 'geparkt',
    revoked: 'widerrufen',
    expired: 'abgelaufen',
  },
  story: {
    begun: 'begann',
    asked: 'fragte nach: {prompt}',
    chosen: 'wollte lieber gefragt werden nach: {prompt}',
    renewed: 'wählte ein neues Passwort',
    counted: '{method}: in diesem Browser vorher erbracht, um {proved}',
    right: '{method}: richtig',
    wrong: '{method}: nicht richtig',
    'turned-away': 'Versuch abgewiesen',
    ended: 'endete',
  },
  ...deTrail,
  actors: {
    host: 'der Server',
    service: 'der Dienst',
    nobody: 'jemand Unbekanntes',
    erased: 'jemand, der gelöscht wurde',
  },
  mail: deMail,
  rulebook: deRulebook,
};
